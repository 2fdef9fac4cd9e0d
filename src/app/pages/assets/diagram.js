// The page that is one picture: the list and the small map beside it, and what is told of a type
// that was chosen.
{
  const { types, keys } = JSON.parse(document.querySelector('#facts').textContent)
  const aside = document.querySelector('#chosen')
  const svg = document.querySelector('svg.picture')
  const list = document.querySelector('#list')
  const listButton = document.querySelector('#list-button')
  const idOf = new Map(Object.entries(keys).map(([id, key]) => [key, id]))
  const entries = [...list.querySelectorAll('.types a')]
  const keyOfLink = (link) => decodeURIComponent(link.hash.slice(1))

  const element = (name, text, ...children) => {
    const made = document.createElement(name)
    if (text !== undefined) made.textContent = text
    made.append(...children)
    return made
  }

  const rowOf = ({ name, type, key, documentation }) => {
    const shown = element(key ? 'u' : 'span', name)
    if (key) shown.title = 'is part of the key'
    return element(
      'tr',
      undefined,
      element('td', undefined, shown),
      element('td', type),
      element('td', documentation),
    )
  }

  const tell = ({ name, what, documentation, rows, links, code }) => {
    const close = element('button', 'Close')
    close.addEventListener('click', () => window.picture.choose(undefined))
    const title = element('h2', name)
    title.tabIndex = -1
    const kind = element('p', what)
    kind.className = 'faint'
    const parts = [close, title, kind]
    if (documentation) parts.push(element('p', documentation))
    if (rows.length > 0) {
      const box = element(
        'div',
        undefined,
        element('table', undefined, element('tbody', undefined, ...rows.map(rowOf))),
      )
      box.className = 'box'
      parts.push(box)
    }
    for (const { text, to } of links) {
      const link = element('a', text)
      link.href = `${location.pathname}#${encodeURIComponent(keys[to])}`
      parts.push(element('p', undefined, link))
    }
    if (code) {
      const link = element('a', `${code.file}:${code.line}`)
      link.href = code.url
      parts.push(element('h3', 'Generated code'), link)
    }
    aside.replaceChildren(...parts)
    aside.hidden = false
    const stage = svg.getBoundingClientRect()
    const { top, left } = aside.getBoundingClientRect()
    window.picture.cover(left < stage.right ? Math.max(0, stage.bottom - top) : 0)
    return title
  }

  let chosen
  svg.addEventListener('choose', ({ detail }) => {
    for (const link of entries)
      if (detail !== null && keyOfLink(link) === keys[detail.id]) {
        link.setAttribute('aria-current', 'true')
        link.scrollIntoView({ block: 'nearest' })
      } else link.removeAttribute('aria-current')
    if (detail === null) {
      const wasInside = aside.contains(document.activeElement)
      aside.hidden = true
      window.picture.cover(0)
      if (location.hash !== '') history.replaceState(null, '', location.pathname + location.search)
      // Whoever closes it goes on where she was.
      if (wasInside) window.picture.focus(chosen)
      return
    }
    const title = tell(types[detail.id])
    chosen = detail.id
    const hash = `#${encodeURIComponent(keys[detail.id])}`
    if (location.hash !== hash) history.pushState(null, '', hash)
    if (detail.isByKey) title.focus()
  })
  const followHash = () => {
    const id = idOf.get(decodeURIComponent(location.hash.slice(1)))
    if (id === undefined) {
      if (location.hash === '') window.picture.choose(undefined)
      return
    }
    showList(false)
    window.picture.choose(id, true)
    window.picture.centre(id)
  }
  const showList = (isOpen) => {
    list.classList.toggle('open', isOpen)
    listButton.setAttribute('aria-expanded', String(isOpen))
  }
  listButton.addEventListener('click', () => showList(!list.classList.contains('open')))
  addEventListener('hashchange', followHash)
  addEventListener('popstate', followHash)
  if (location.hash !== '') requestAnimationFrame(() => requestAnimationFrame(followHash))

  svg.addEventListener('search', ({ detail }) => {
    for (const link of entries)
      link.parentElement.hidden = detail !== null && !detail.includes(idOf.get(keyOfLink(link)))
  })

  addEventListener('keydown', (event) => {
    if (event.key === 'Escape' && !aside.hidden) window.picture.choose(undefined)
    if (event.key === '/' && !(event.target instanceof HTMLInputElement)) {
      event.preventDefault()
      document.querySelector('#picture-search').focus()
    }
  })

  // The small map: where all types are, and what of it is seen.
  const map = document.querySelector('#map')
  const { drawn } = window
  const { full } = window.picture
  const small = drawn('svg', { viewBox: `${full.x} ${full.y} ${full.width} ${full.height}` })
  const frame = drawn('rect', { class: 'frame' })
  const drawMap = () => {
    small.replaceChildren(
      ...window.picture.ids.map((id) => {
        const { x, y, width, height } = window.picture.boxOf(id)
        return drawn('rect', { x, y, width, height, class: 'mark' })
      }),
      frame,
    )
  }
  const drawFrame = () => {
    const { x, y, scale, w, h } = window.picture.seen()
    const isWhole = w / scale >= full.width && h / scale >= full.height
    map.hidden = isWhole
    for (const [each, value] of Object.entries({ x, y, width: w / scale, height: h / scale }))
      frame.setAttribute(each, value)
  }
  map.append(small)
  drawMap()
  drawFrame()
  svg.addEventListener('seen', drawFrame)
  svg.addEventListener('arranged', drawMap)
  const go = (event) => {
    const place = new DOMPoint(event.clientX, event.clientY).matrixTransform(
      small.getScreenCTM().inverse(),
    )
    window.picture.centreAt(place)
  }
  small.addEventListener('pointerdown', (event) => {
    go(event)
    small.setPointerCapture(event.pointerId)
    small.onpointermove = go
  })
  small.addEventListener('pointerup', () => (small.onpointermove = null))
}
