// A link to a step unfolds it, and what it is in.
{
  const unfold = () => {
    const step = document.getElementById(decodeURIComponent(location.hash.slice(1)))
    if (step === null) return
    const inside = step.querySelector(':scope > details')
    for (
      let each = inside ?? step.closest('details');
      each;
      each = each.parentElement.closest('details')
    )
      each.open = true
    step.scrollIntoView()
    step.querySelector('summary')?.focus({ preventScroll: true })
  }
  addEventListener('hashchange', unfold)
  if (location.hash !== '') unfold()
}
