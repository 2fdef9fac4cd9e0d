// Lets a reader move about in a picture: zoom, pan, search, and choose a type. Everything works
// from the keyboard too. From far fields fall away and names grow (from-far.js); groups of types
// fold.
{
  const svg = document.querySelector('svg.picture')
  const isWholePage = document.body.classList.contains('diagram')
  const { x, y, width, height } = svg.viewBox.baseVal
  const full = { x, y, width, height }
  const types = [...svg.querySelectorAll('g.type')]
  const links = [...svg.querySelectorAll('g.link')]
  const clusters = [...svg.querySelectorAll('g.cluster')]
  const search = document.querySelector('#picture-search')
  const found = document.querySelector('#picture-found')
  /** Below this scale fields fall away. */
  const farScale = 0.5
  /** Below this one groups fold: those of large pictures where one of them fills the window. */
  const foldedScale = () => (types.length > 80 ? Math.min(0.3, scaleFor(full) * 1.3) : 0.12)

  /** The left upper corner that is seen, and how many pixels of the screen one of the picture has. */
  let seen = { x, y, scale: 1 }
  const size = () => ({ w: Math.max(1, svg.clientWidth), h: Math.max(1, svg.clientHeight) })

  const frameOf = (group) => group.querySelector('rect, polygon')
  let hasBigNames = false
  const show = (next) => {
    const { w, h } = size()
    seen = next
    svg.setAttribute('viewBox', `${seen.x} ${seen.y} ${w / seen.scale} ${h / seen.scale}`)
    const isFar = seen.scale < farScale
    if (isFar && !hasBigNames) window.addBigNames(svg)
    hasBigNames ||= isFar
    svg.classList.toggle('far', isFar)
    svg.classList.toggle('folded', clusters.length > 1 && seen.scale < foldedScale())
    svg.dispatchEvent(new CustomEvent('seen'))
  }
  /** So much of the picture is behind what is told of a type, on narrow screens. */
  let covered = 0
  const around = (box, scale) => {
    const { w, h } = size()
    show({
      x: box.x + box.width / 2 - w / scale / 2,
      y: box.y + box.height / 2 - Math.max(h / 4, h - covered) / scale / 2,
      scale,
    })
  }
  const scaleFor = (box) => {
    const { w, h } = size()
    return Math.min(w / box.width, h / box.height)
  }
  const fit = () => around(full, Math.min(1.5, scaleFor(full)))

  const zoom = (factor, at) => {
    const { w, h } = size()
    const scale = Math.min(4, Math.max(Math.min(scaleFor(full) * 0.7, 0.3), seen.scale * factor))
    const middle = at ?? { x: seen.x + w / seen.scale / 2, y: seen.y + h / seen.scale / 2 }
    const by = seen.scale / scale
    show({
      x: middle.x - (middle.x - seen.x) * by,
      y: middle.y - (middle.y - seen.y) * by,
      scale,
    })
  }
  /** A place on the screen as a place in the picture. */
  const inPicture = ({ clientX, clientY }) => {
    const { left, top } = svg.getBoundingClientRect()
    return { x: seen.x + (clientX - left) / seen.scale, y: seen.y + (clientY - top) / seen.scale }
  }
  const pan = (dx, dy) =>
    show({ ...seen, x: seen.x - dx / seen.scale, y: seen.y - dy / seen.scale })

  const boxOf = (type) => {
    const box = frameOf(type).getBBox()
    const { e = 0, f = 0 } = type.transform.baseVal.consolidate()?.matrix ?? {}
    return { x: box.x + e, y: box.y + f, width: box.width, height: box.height }
  }
  const centre = (type) => around(boxOf(type), Math.max(0.8, Math.min(1.2, seen.scale)))

  svg.addEventListener(
    'wheel',
    (event) => {
      // In a page with other things the wheel is for the page, unless a key says otherwise.
      if (!isWholePage && !event.ctrlKey) return
      event.preventDefault()
      zoom(Math.exp(-event.deltaY * 0.0015), inPicture(event))
    },
    { passive: false },
  )

  // One finger or the mouse moves the picture, or a type; two fingers zoom.
  const pointers = new Map()
  let dragged = false
  let moving
  svg.addEventListener('pointerdown', (event) => {
    if (event.button !== 0) return
    pointers.set(event.pointerId, event)
    const type = event.target.closest('g.type')
    if (pointers.size === 1) dragged = false
    moving =
      pointers.size === 1 &&
      type !== null &&
      window.picture.move !== undefined &&
      window.picture.moves(event)
        ? type
        : undefined
  })
  addEventListener('pointermove', (event) => {
    const last = pointers.get(event.pointerId)
    if (last === undefined) return
    // In a page with other things one finger moves the page.
    if (pointers.size === 1 && event.pointerType === 'touch' && !isWholePage) return
    const dx = event.clientX - last.clientX
    const dy = event.clientY - last.clientY
    if (!dragged && Math.hypot(dx, dy) < 4) return
    if (!dragged) svg.classList.add('dragging')
    dragged = true
    if (pointers.size === 2) {
      const [other] = [...pointers.values()].filter(
        ({ pointerId }) => pointerId !== event.pointerId,
      )
      const far = (one) => Math.hypot(one.clientX - other.clientX, one.clientY - other.clientY)
      const middle = {
        clientX: (event.clientX + other.clientX) / 2,
        clientY: (event.clientY + other.clientY) / 2,
      }
      pan(dx / 2, dy / 2)
      zoom(far(event) / Math.max(1, far(last)), inPicture(middle))
    } else if (moving !== undefined) window.picture.move(moving, dx / seen.scale, dy / seen.scale)
    else pan(dx, dy)
    pointers.set(event.pointerId, event)
  })
  for (const end of ['pointerup', 'pointercancel'])
    addEventListener(end, ({ pointerId }) => {
      pointers.delete(pointerId)
      if (pointers.size === 0) svg.classList.remove('dragging')
    })

  for (const [name, act] of [
    ['in', () => zoom(1.4)],
    ['out', () => zoom(1 / 1.4)],
    ['fit', fit],
  ])
    document.querySelector(`#picture-${name}`).addEventListener('click', act)

  svg.setAttribute('tabindex', '0')
  svg.setAttribute('role', 'group')
  svg.setAttribute('aria-label', svg.querySelector('title')?.textContent ?? 'Picture')
  svg.addEventListener('keydown', (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || event.shiftKey) return
    const act = {
      '+': () => zoom(1.4),
      '=': () => zoom(1.4),
      '-': () => zoom(1 / 1.4),
      0: fit,
      ArrowLeft: () => pan(80, 0),
      ArrowRight: () => pan(-80, 0),
      ArrowUp: () => pan(0, 80),
      ArrowDown: () => pan(0, -80),
    }[event.key]
    if (act === undefined) return
    event.preventDefault()
    act()
  })

  const choose = (type, isByKey = false) => {
    for (const each of types) each.classList.toggle('chosen', each === type)
    for (const link of links)
      link.classList.toggle(
        'chosen',
        type !== undefined && [link.dataset.id, link.dataset.to].includes(type.dataset.id),
      )
    svg.dispatchEvent(
      new CustomEvent('choose', {
        detail:
          type === undefined ? null : { id: type.dataset.id, name: type.dataset.name, isByKey },
      }),
    )
  }

  for (const type of types) {
    // The frame stands for the type: what is in the box is told when it is chosen.
    const frame = frameOf(type)
    frame.setAttribute('tabindex', '0')
    frame.setAttribute('role', 'button')
    frame.setAttribute('aria-label', type.dataset.name)
    type.addEventListener('click', () => {
      if (!dragged) choose(type)
    })
    type.addEventListener('keydown', (event) => {
      if (event.key !== 'Enter' && event.key !== ' ') return
      event.preventDefault()
      choose(type, true)
    })
    frame.addEventListener('focus', () => {
      const box = boxOf(type)
      const { w, h } = size()
      const isSeen =
        box.x >= seen.x &&
        box.y >= seen.y &&
        box.x < seen.x + w / seen.scale &&
        box.y < seen.y + h / seen.scale
      if (!isSeen) around(box, seen.scale)
    })
  }
  for (const cluster of clusters)
    cluster.addEventListener('click', () => {
      if (dragged || !svg.classList.contains('folded')) return
      const box = cluster.querySelector('rect').getBBox()
      around(box, Math.max(foldedScale(), Math.min(1, scaleFor(box))))
    })

  let matches = []
  let current = -1
  const look = () => {
    const text = search.value.trim().toLowerCase()
    const saying = (type) => type.textContent.toLowerCase().includes(text)
    matches = text === '' ? [] : types.filter(saying)
    // Names come before what stands inside.
    const isNamed = (type) => Number(type.dataset.name.toLowerCase().includes(text))
    matches.sort((a, b) => isNamed(b) - isNamed(a))
    current = -1
    svg.classList.toggle('searching', text !== '')
    for (const type of types) type.classList.toggle('match', matches.includes(type))
    found.textContent = text === '' ? '' : `${matches.length} of ${types.length}`
    svg.dispatchEvent(
      new CustomEvent('search', {
        detail: text === '' ? null : matches.map(({ dataset }) => dataset.id),
      }),
    )
  }
  search.addEventListener('input', look)
  search.addEventListener('keydown', (event) => {
    if (event.key === 'Escape') {
      search.value = ''
      look()
    }
    if (event.key !== 'Enter' || matches.length === 0) return
    event.preventDefault()
    current = (current + (event.shiftKey ? matches.length - 1 : 1)) % matches.length
    centre(matches[current])
    choose(matches[current])
    found.textContent = `${current + 1} of ${matches.length}`
  })

  const byId = new Map(types.map((type) => [type.dataset.id, type]))
  window.picture = {
    choose: (id, isByKey) => choose(byId.get(id), isByKey),
    centre: (id) => centre(byId.get(id)),
    /** @param pixels so much of the picture is covered from below */
    cover: (pixels) => (covered = pixels),
    centreAt: (place) => around({ ...place, width: 0, height: 0 }, seen.scale),
    seen: () => ({ ...seen, ...size() }),
    full,
    boxOf: (id) => boxOf(byId.get(id)),
    ids: [...byId.keys()],
    focus: (id) => frameOf(byId.get(id)).focus(),
    links,
  }

  /** The type that most others hang together with. */
  const mostLinked = () => {
    const counts = new Map()
    for (const { dataset } of links)
      for (const id of [dataset.id, dataset.to]) counts.set(id, (counts.get(id) ?? 0) + 1)
    const [first] = [...types].sort(
      (a, b) => (counts.get(b.dataset.id) ?? 0) - (counts.get(a.dataset.id) ?? 0),
    )
    return first
  }
  /** Small pictures whole, large ones by their groups, others where most comes together. */
  const open = () => {
    const scale = scaleFor(full)
    const first = mostLinked()
    if (scale >= 0.7 || (clusters.length > 1 && types.length > 80) || first === undefined) fit()
    else around(boxOf(first), 0.9)
  }
  // Nothing is reckoned before somebody sees the picture, which may stand far below.
  let wasOpened = false
  new IntersectionObserver((entries, observer) => {
    if (!entries.some(({ isIntersecting }) => isIntersecting)) return
    observer.disconnect()
    open()
    wasOpened = true
  }).observe(svg)
  new ResizeObserver(() => {
    if (wasOpened) show(seen)
  }).observe(svg)
}
