// On pages with very many things, what is below a line is made when somebody unfolds it.
{
  const make = (kept) => {
    kept.parentElement.innerHTML = kept.textContent
  }
  const isKept = 'details.thing > .inside > script'
  document.addEventListener(
    'toggle',
    ({ target }) => {
      const kept = target.open ? target.querySelector(':scope > .inside > script') : null
      if (kept !== null) make(kept)
    },
    true,
  )
  addEventListener('beforeprint', () => document.querySelectorAll(isKept).forEach(make))

  /** What a thing says, made or not. */
  window.textOfThing = (thing) => {
    const kept = thing.querySelector(':scope > .inside > script')
    if (kept === null) return thing.textContent
    const said = kept.textContent
      .replace(/<[^>]*>/g, ' ')
      .replace(/&#(\d+);/g, (_, code) => String.fromCodePoint(Number(code)))
    return `${thing.querySelector('summary').textContent} ${said}`
  }
}
