// A link to a step unfolds it.
{
  const unfold = () => {
    const step = document.getElementById(decodeURIComponent(location.hash.slice(1)))
    const details = step?.querySelector(':scope > details')
    if (details) details.open = true
    step?.scrollIntoView()
  }
  addEventListener('hashchange', unfold)
  if (location.hash !== '') unfold()
}
