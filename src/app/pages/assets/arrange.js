// Arrangement by hand: types are moved with the mouse, or with Shift and the arrows; the lines that
// keep it are for the project file.
{
  const facts = JSON.parse(document.querySelector('#facts').textContent)
  const { keys, margin } = facts
  const { routed, placedAtEnd } = window.routing
  const svg = document.querySelector('svg.picture')
  const dialog = document.querySelector('#kept')
  const boxes = new Map(
    Object.entries(facts.boxes).map(([id, [x, y, w, h]]) => [
      id,
      { x: x + margin, y: y + margin, w, h },
    ]),
  )
  const origins = new Map([...boxes].map(([id, box]) => [id, { ...box }]))
  const linksOf = new Map()
  facts.links.forEach((link, at) => {
    for (const id of new Set([link.from, link.to]))
      linksOf.set(id, [...(linksOf.get(id) ?? []), at])
  })

  const { drawn } = window
  const marker = (id, path, look) =>
    drawn(
      'marker',
      {
        id,
        viewBox: '0 0 12 12',
        refX: 11,
        refY: 6,
        markerWidth: 12,
        markerHeight: 12,
        orient: 'auto-start-reverse',
        markerUnits: 'userSpaceOnUse',
      },
      drawn('path', { d: path, ...look }),
    )
  svg.prepend(
    drawn(
      'defs',
      {},
      marker('open-end', 'M 3 2 L 11 6 L 3 10', {
        fill: 'none',
        class: 'stroke-line',
        'stroke-width': 1.3,
      }),
      marker('hollow-end', 'M 1 1 L 11 6 L 1 11 Z', {
        class: 'stroke-line paint-card',
        'stroke-width': 1.3,
      }),
    ),
  )
  const ends = { leadsTo: 'open-end', contains: 'open-end', extends: 'hollow-end' }

  const reroute = (at) => {
    const { from, to, kind, shares } = facts.links[at]
    const group = window.picture.links[at]
    const points = routed(boxes.get(from), boxes.get(to), shares)
    const line = group.querySelector('polyline')
    line.setAttribute('points', points.map(({ x, y }) => `${x},${y}`).join(' '))
    if (ends[kind] !== undefined) line.setAttribute('marker-end', `url(#${ends[kind]})`)
    for (const each of [...group.querySelectorAll('polyline, polygon, circle')])
      if (each !== line) each.remove()
    for (const text of group.querySelectorAll('text')) {
      const isSource = text.classList.contains('source')
      const [end, next] = isSource ? points : points.slice(-2).reverse()
      const place = placedAtEnd(end, next, text.getComputedTextLength() + 4)
      text.setAttribute('x', place.x + 2)
      text.setAttribute('y', place.y + 11)
    }
  }
  let isFirst = true
  window.picture.moves = ({ pointerType }) => pointerType === 'mouse'
  window.picture.move = (type, dx, dy) => {
    const { id } = type.dataset
    const box = boxes.get(id)
    box.x += dx
    box.y += dy
    const origin = origins.get(id)
    type.setAttribute('transform', `translate(${box.x - origin.x} ${box.y - origin.y})`)
    // The frames of groups say nothing any more, and all links run as they will in the picture.
    if (isFirst) {
      for (const cluster of svg.querySelectorAll('g.cluster')) cluster.remove()
      facts.links.forEach((_, at) => reroute(at))
      isFirst = false
    } else for (const at of linksOf.get(id) ?? []) reroute(at)
    svg.dispatchEvent(new CustomEvent('arranged'))
  }
  svg.addEventListener('keydown', (event) => {
    const type = event.target.closest('g.type')
    const step = {
      ArrowLeft: [-10, 0],
      ArrowRight: [10, 0],
      ArrowUp: [0, -10],
      ArrowDown: [0, 10],
    }[event.key]
    if (type === null || step === undefined || !event.shiftKey) return
    event.preventDefault()
    window.picture.move(type, ...step)
  })

  const yamlName = (name) => (/^[A-Za-z_][\w.]*$/.test(name) ? name : JSON.stringify(name))
  const lines = () => {
    const all = [...boxes.values()]
    const [left, top] = [Math.min(...all.map(({ x }) => x)), Math.min(...all.map(({ y }) => y))]
    const places = [...boxes].map(
      ([id, { x, y }]) =>
        `        ${yamlName(keys[id])}: [${Math.round(x - left)}, ${Math.round(y - top)}]`,
    )
    const selection = Object.entries(facts.selection).map(
      ([key, value]) => `      ${key}: ${JSON.stringify(value)}`,
    )
    return ['views:', `  ${yamlName(facts.name)}:`]
      .map((line) => `  ${line}`)
      .concat(selection, '      places:', places)
      .join('\n')
  }
  document.querySelector('#keep').addEventListener('click', () => {
    dialog.querySelector('pre').textContent = lines()
    dialog.showModal()
  })
  document.querySelector('#kept-close').addEventListener('click', () => dialog.close())
  const copy = document.querySelector('#kept-copy')
  copy.addEventListener('click', () => window.copyText(dialog.querySelector('pre'), copy))
}
