// Lets a reader move about in a picture: zoom, pan, search, and choose a type. Everything works
// from the keyboard too.
{
  const svg = document.querySelector('svg.picture')
  const whole = svg.viewBox.baseVal
  const full = { x: whole.x, y: whole.y, width: whole.width, height: whole.height }
  const types = [...svg.querySelectorAll('g.type')]
  const links = [...svg.querySelectorAll('g.link')]
  const search = document.querySelector('#picture-search')
  const found = document.querySelector('#picture-found')
  let dragged = false

  const show = ({ x, y, width, height }) =>
    svg.setAttribute('viewBox', `${x} ${y} ${width} ${height}`)

  const zoom = (factor, at) => {
    const { x, y, width, height } = svg.viewBox.baseVal
    const wide = Math.min(full.width * 3, Math.max(200, width / factor))
    const by = wide / width
    const middle = at ?? { x: x + width / 2, y: y + height / 2 }
    show({
      x: middle.x - (middle.x - x) * by,
      y: middle.y - (middle.y - y) * by,
      width: wide,
      height: height * by,
    })
  }

  /** A place on the screen as a place in the picture. */
  const inPicture = (event) =>
    new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse())

  const pan = (dx, dy) => {
    const { x, y, width, height } = svg.viewBox.baseVal
    show({ x: x + dx * width, y: y + dy * height, width, height })
  }

  const centre = (type) => {
    const box = type.getBBox()
    const width = Math.min(full.width, Math.max(box.width * 4, 700))
    const height = (width * svg.clientHeight) / Math.max(1, svg.clientWidth)
    show({
      x: box.x + box.width / 2 - width / 2,
      y: box.y + box.height / 2 - height / 2,
      width,
      height,
    })
  }

  svg.addEventListener(
    'wheel',
    (event) => {
      // In a page with other things the wheel is for the page, unless a key says otherwise.
      if (!document.body.classList.contains('diagram') && !event.ctrlKey) return
      event.preventDefault()
      zoom(Math.exp(-event.deltaY * 0.0015), inPicture(event))
    },
    { passive: false },
  )

  svg.addEventListener('pointerdown', (event) => {
    if (event.button !== 0) return
    dragged = false
    let last = inPicture(event)
    const move = (moved) => {
      if (!dragged && Math.hypot(moved.clientX - event.clientX, moved.clientY - event.clientY) < 4)
        return
      dragged = true
      svg.classList.add('dragging')
      const now = inPicture(moved)
      const { x, y, width, height } = svg.viewBox.baseVal
      show({ x: x + last.x - now.x, y: y + last.y - now.y, width, height })
      last = inPicture(moved)
    }
    const end = () => {
      svg.classList.remove('dragging')
      removeEventListener('pointermove', move)
    }
    addEventListener('pointermove', move)
    addEventListener('pointerup', end, { once: true })
    addEventListener('pointercancel', end, { once: true })
  })

  for (const [name, act] of [
    ['in', () => zoom(1.4)],
    ['out', () => zoom(1 / 1.4)],
    ['fit', () => show(full)],
  ])
    document.querySelector(`#picture-${name}`).addEventListener('click', act)

  svg.setAttribute('tabindex', '0')
  svg.addEventListener('keydown', (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return
    const act = {
      '+': () => zoom(1.4),
      '=': () => zoom(1.4),
      '-': () => zoom(1 / 1.4),
      0: () => show(full),
      ArrowLeft: () => pan(-0.1, 0),
      ArrowRight: () => pan(0.1, 0),
      ArrowUp: () => pan(0, -0.1),
      ArrowDown: () => pan(0, 0.1),
    }[event.key]
    if (act === undefined) return
    event.preventDefault()
    act()
  })

  const choose = (type) => {
    for (const each of types) each.classList.toggle('chosen', each === type)
    for (const link of links)
      link.classList.toggle(
        'chosen',
        type !== undefined && [link.dataset.id, link.dataset.to].includes(type.dataset.id),
      )
    svg.dispatchEvent(
      new CustomEvent('choose', {
        detail: type === undefined ? null : { id: type.dataset.id, name: type.dataset.name },
      }),
    )
  }

  for (const type of types) {
    type.setAttribute('tabindex', '0')
    type.setAttribute('role', 'button')
    type.setAttribute('aria-label', type.dataset.name)
    type.addEventListener('click', () => {
      if (!dragged) choose(type)
    })
    type.addEventListener('keydown', (event) => {
      if (event.key !== 'Enter' && event.key !== ' ') return
      event.preventDefault()
      choose(type)
    })
  }

  let matches = []
  let current = -1
  const look = () => {
    const text = search.value.trim().toLowerCase()
    matches =
      text === '' ? [] : types.filter((type) => type.textContent.toLowerCase().includes(text))
    // Names come before what stands inside.
    matches.sort(
      (a, b) =>
        Number(b.dataset.name.toLowerCase().includes(text)) -
        Number(a.dataset.name.toLowerCase().includes(text)),
    )
    current = -1
    svg.classList.toggle('searching', text !== '')
    for (const type of types) type.classList.toggle('match', matches.includes(type))
    found.textContent = text === '' ? '' : `${matches.length} of ${types.length}`
  }
  search.addEventListener('input', look)
  search.addEventListener('keydown', (event) => {
    if (event.key === 'Escape') {
      search.value = ''
      look()
      show(full)
    }
    if (event.key !== 'Enter' || matches.length === 0) return
    event.preventDefault()
    current = (current + (event.shiftKey ? matches.length - 1 : 1)) % matches.length
    centre(matches[current])
    choose(matches[current])
    found.textContent = `${current + 1} of ${matches.length}`
  })

  window.picture = {
    choose: (id) => choose(types.find((type) => type.dataset.id === id)),
    centre: (id) => centre(types.find((type) => type.dataset.id === id)),
  }
}
