// What a picture shows from far: names as large as their boxes, and how groups hang together.
{
  const { drawn } = window
  const frameOf = (group) => group.querySelector('rect, polygon').getBBox()
  const middleOf = (box) => ({ x: box.x + box.width / 2, y: box.y + box.height / 2 })

  /** A name as large as a rectangle lets it be. */
  const bigName = (group, most) => {
    const box = frameOf(group)
    const { name } = group.dataset
    const size = Math.min(most, box.height * 0.6, (box.width * 1.5) / Math.max(4, name.length))
    const { x, y } = middleOf(box)
    return drawn(
      'text',
      { x, y: y + size / 3, 'font-size': size, 'text-anchor': 'middle', class: 'big paint-ink' },
      name,
    )
  }

  /** A line for each two groups that hang together, the wider the more links there are. */
  const bundles = (clusters, types, links) => {
    const boxes = clusters.map(frameOf)
    const groupOf = new Map(
      types.map((type) => {
        const { x, y } = middleOf(frameOf(type))
        const isIn = (box) =>
          x >= box.x && x < box.x + box.width && y >= box.y && y < box.y + box.height
        return [type.dataset.id, boxes.findIndex(isIn)]
      }),
    )
    const counts = new Map()
    for (const { dataset } of links) {
      const ends = [groupOf.get(dataset.id), groupOf.get(dataset.to)].sort((a, b) => a - b)
      if (ends[0] < 0 || ends[0] === ends[1]) continue
      counts.set(ends.join(), (counts.get(ends.join()) ?? 0) + 1)
    }
    const all = drawn('g', { class: 'bundles' })
    for (const [ends, count] of counts) {
      const [from, to] = ends.split(',').map((at) => middleOf(boxes[at]))
      const line = { x1: from.x, y1: from.y, x2: to.x, y2: to.y, class: 'stroke-line' }
      const width = { 'stroke-width': 1 + Math.min(6, count / 2) }
      all.append(drawn('line', { ...line, ...width, 'vector-effect': 'non-scaling-stroke' }))
    }
    return all
  }

  window.addBigNames = (svg) => {
    const all = (role) => [...svg.querySelectorAll(`g.${role}`)]
    const [types, clusters] = [all('type'), all('cluster')]
    const named = [
      ...types.map((type) => [type, bigName(type, 60)]),
      ...clusters.map((cluster) => [cluster, bigName(cluster, 200)]),
    ]
    for (const [group, name] of named) group.append(name)
    clusters[0]?.before(bundles(clusters, types, all('link')))
  }
}
