// The reference: search, and ways from the picture to the text.
{
  const search = document.querySelector('#search')
  const count = document.querySelector('#found')
  const entries = [...document.querySelectorAll('nav li')].map((item) => {
    const link = item.querySelector('a')
    const section = document.getElementById(decodeURIComponent(link.hash.slice(1)))
    return {
      item,
      link,
      name: link.textContent,
      text: (section?.textContent ?? link.textContent).toLowerCase(),
    }
  })
  const headings = [...document.querySelectorAll('nav h2')]

  const marked = (name, words) => {
    const lower = name.toLowerCase()
    const at = words.map((word) => [lower.indexOf(word), word.length]).find(([start]) => start >= 0)
    if (at === undefined || lower.length !== name.length) return [name]
    const mark = document.createElement('mark')
    mark.textContent = name.slice(at[0], at[0] + at[1])
    return [name.slice(0, at[0]), mark, name.slice(at[0] + at[1])]
  }

  const look = () => {
    const words = search.value
      .toLowerCase()
      .split(/\s+/)
      .filter((word) => word !== '')
    let hits = 0
    for (const { item, link, name, text } of entries) {
      const isHit = words.every((word) => text.includes(word))
      item.hidden = !isHit
      if (isHit) hits += 1
      link.replaceChildren(...(words.length === 0 ? [name] : marked(name, words)))
    }
    for (const heading of headings)
      heading.hidden = [...(heading.nextElementSibling?.children ?? [])].every(
        (item) => item.hidden,
      )
    count.textContent = words.length === 0 ? '' : `${hits} of ${entries.length}`
  }
  search.addEventListener('input', look)

  const visible = () => entries.filter(({ item }) => !item.hidden).map(({ link }) => link)
  addEventListener('keydown', (event) => {
    const target = event.target
    if (event.key === '/' && !(target instanceof HTMLInputElement)) {
      event.preventDefault()
      search.focus()
      search.select()
    } else if (target === search && event.key === 'Escape') {
      search.value = ''
      look()
    } else if (target === search && event.key === 'Enter') visible()[0]?.click()
    else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      const links = visible()
      const at = links.indexOf(target)
      if (target !== search && at < 0) return
      event.preventDefault()
      const next = at + (event.key === 'ArrowDown' ? 1 : -1)
      if (next < 0) search.focus()
      else links[Math.min(next, links.length - 1)]?.focus()
    }
  })

  document.querySelector('svg.picture')?.addEventListener('choose', ({ detail }) => {
    if (detail !== null) location.hash = `type-${encodeURIComponent(detail.name)}`
  })

  // What is folded is printed all the same.
  let folded = []
  addEventListener('beforeprint', () => {
    folded = [...document.querySelectorAll('details:not([open])')]
    for (const each of folded) each.open = true
  })
  addEventListener('afterprint', () => {
    for (const each of folded) each.open = false
  })
}
