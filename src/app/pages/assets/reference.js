// The reference: search, addresses of things, and ways from the picture to the text.
{
  const search = document.querySelector('#search')
  const found = document.querySelector('#found')
  const menu = document.querySelector('#menu')
  const contents = document.querySelector('#contents')
  const { contract } = JSON.parse(document.querySelector('#about').textContent)
  const parts = [...contents.querySelectorAll('details.part')]
  const thingOf = (link) => document.getElementById(decodeURIComponent(link.hash.slice(1)))
  const entries = [...contents.querySelectorAll('details.part li')].map((item) => {
    const link = item.querySelector('a')
    return { item, link, name: link.textContent }
  })
  /** What a thing says, looked up when somebody searches for the first time. */
  const textOf = (entry) => (entry.text ??= window.textOfThing(thingOf(entry.link)).toLowerCase())

  const showContents = (isOpen) => {
    contents.classList.toggle('open', isOpen)
    menu.setAttribute('aria-expanded', String(isOpen))
  }
  menu.addEventListener('click', () => showContents(!contents.classList.contains('open')))

  const marked = (name, words) => {
    const lower = name.toLowerCase()
    const at = words.map((word) => [lower.indexOf(word), word.length]).find(([start]) => start >= 0)
    if (at === undefined || lower.length !== name.length) return [name]
    const mark = document.createElement('mark')
    mark.textContent = name.slice(at[0], at[0] + at[1])
    return [name.slice(0, at[0]), mark, name.slice(at[0] + at[1])]
  }

  /** How many letters two words share in pairs: what is written almost alike shares many. */
  const likeness = (one, other) => {
    const pairs = (word) => new Set([...word].slice(1).map((letter, at) => word[at] + letter))
    const [mine, its] = [pairs(one), pairs(other)]
    return [...mine].filter((pair) => its.has(pair)).length / Math.max(1, mine.size + its.size)
  }
  const nearest = (word) =>
    entries
      .map(({ name }) => ({ name, like: likeness(word, name.toLowerCase()) }))
      .filter(({ like }) => like > 0.2)
      .sort((a, b) => b.like - a.like)
      .slice(0, 3)
      .map(({ name }) => name)

  /** Where else to look. */
  const nothingText = (words) => {
    const like = nearest(words.join(''))
    return [
      `0 of ${entries.length}.`,
      ...(like.length > 0 ? [`Nearest: ${like.join(', ')}.`] : []),
      `In the documents themselves: snapshots/${contract}. In other contracts: tolmach list.`,
    ].join(' ')
  }

  const wasOpen = new Map(parts.map((part) => [part, part.open]))
  const look = () => {
    const words = search.value
      .toLowerCase()
      .split(/\s+/)
      .filter((word) => word !== '')
    const isSearching = words.length > 0
    let hits = 0
    for (const entry of entries) {
      const isHit = words.every((word) => textOf(entry).includes(word))
      entry.item.hidden = !isHit
      if (isHit) hits += 1
      entry.link.replaceChildren(...(isSearching ? marked(entry.name, words) : [entry.name]))
    }
    for (const part of parts) {
      part.hidden = [...part.querySelectorAll('li')].every((item) => item.hidden)
      part.open = isSearching || wasOpen.get(part)
    }
    if (!isSearching) found.textContent = ''
    else found.textContent = hits > 0 ? `${hits} of ${entries.length}` : nothingText(words)
    showContents(isSearching)
  }
  search.addEventListener('input', look)

  const visible = () =>
    entries
      .filter(({ item, link }) => !item.hidden && link.offsetParent !== null)
      .map(({ link }) => link)
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

  // Things have addresses: whoever unfolds one has its address, and an address unfolds its thing.
  let current
  const mark = (id) => {
    current?.removeAttribute('aria-current')
    current = id === '' ? undefined : entries.find(({ link }) => link.hash === `#${id}`)?.link
    current?.setAttribute('aria-current', 'location')
    current?.scrollIntoView({ block: 'nearest' })
  }
  const unfold = () => {
    const id = location.hash.slice(1)
    const thing = id === '' ? null : document.getElementById(decodeURIComponent(id))
    document.querySelector('.shown')?.classList.remove('shown')
    if (thing === null) return
    thing.classList.add('shown')
    for (let each = thing; each !== null; each = each.parentElement?.closest('details') ?? null)
      if (each instanceof HTMLDetailsElement) each.open = true
    showContents(false)
    thing.scrollIntoView()
    if (thing instanceof HTMLDetailsElement)
      thing.querySelector('summary').focus({ preventScroll: true })
    mark(id)
  }
  addEventListener('hashchange', unfold)
  document.querySelector('main').addEventListener('click', (event) => {
    const thing = event.target.closest('summary')?.parentElement
    // It is still folded when it is clicked on.
    if (!thing?.matches('details.thing, details.set') || thing.open) return
    history.pushState(null, '', `#${encodeURIComponent(thing.id)}`)
    document.querySelector('.shown')?.classList.remove('shown')
    mark(location.hash.slice(1))
  })
  addEventListener('popstate', unfold)
  if (location.hash !== '') unfold()

  // The contents say where somebody is.
  let isWaiting = false
  addEventListener('scroll', () => {
    if (isWaiting) return
    isWaiting = true
    requestAnimationFrame(() => {
      isWaiting = false
      const main = document.querySelector('main').getBoundingClientRect()
      const thing = document.elementFromPoint(main.left + 60, 90)?.closest('details.thing')
      if (thing) mark(encodeURIComponent(thing.id))
    })
  })

  document.querySelector('svg.picture')?.addEventListener('choose', ({ detail }) => {
    if (detail !== null) location.hash = `type-${encodeURIComponent(detail.name)}`
  })
}
