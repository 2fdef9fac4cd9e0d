// Tables of rows: search, sort, hide and move columns. Rows are made when somebody gets to them, so
// that many are as light as few.
{
  const atOnce = 500

  const compare = (a, b) => {
    const isNumber = (text) => /^[+-]?\d+(?:\.\d+)?$/.test(text)
    return isNumber(a) && isNumber(b)
      ? Number(a) - Number(b) || a.localeCompare(b)
      : a.localeCompare(b, undefined, { numeric: true })
  }
  const isMissing = (text) => text === '' || text === 'null'

  const element = (name, properties, ...children) => {
    const made = Object.assign(document.createElement(name), properties)
    made.append(...children)
    return made
  }

  /** A list in a cell, folded as those are that were written. */
  const folded = ({ headings, rows }) =>
    element(
      'details',
      {},
      element('summary', {
        textContent: `${rows.length} ${rows.length === 1 ? 'entry' : 'entries'}`,
      }),
      element(
        'table',
        { className: 'rows' },
        element(
          'thead',
          {},
          element(
            'tr',
            {},
            ...headings.map((textContent) => element('th', { scope: 'col', textContent })),
          ),
        ),
        element(
          'tbody',
          {},
          ...rows.map((row) =>
            element('tr', {}, ...row.map((textContent) => element('td', { textContent }))),
          ),
        ),
      ),
    )

  const textOf = (cell) =>
    typeof cell === 'string' ? cell : [cell.headings, ...cell.rows].flat().join(' ')

  for (const section of document.querySelectorAll('section.rows')) {
    const table = section.querySelector('table.rows')
    const body = table.tBodies[0]
    const headings = [...table.tHead.rows[0].cells]
    const status = section.querySelector('[role=status]')
    const search = section.querySelector('input[type=search]')
    const said = status.textContent
    const data = section.querySelector(':scope > script[type="application/json"]')
    const rows = [
      ...[...body.rows].map((line) => ({
        line,
        texts: [...line.cells].map((cell) => cell.textContent),
      })),
      ...(data === null ? [] : JSON.parse(data.textContent)).map((cells) => ({
        cells,
        texts: cells.map(textOf),
      })),
    ]

    /** The columns that are shown, in their order, by where they are in a row. */
    const order = headings.map((_, at) => at)
    let hidden = new Set()
    let shown = rows
    let drawn = 0

    const lineOf = (row) => {
      row.line ??= element(
        'tr',
        {},
        ...row.cells.map((cell, at) => {
          const made = element('td', { className: headings[at].className })
          made.append(typeof cell === 'string' ? cell : folded(cell))
          return made
        }),
      )
      return row.line
    }
    /** Puts the cells of a line where the columns are now. */
    const places = new WeakMap()
    const arrange = (line) => {
      if (!places.has(line)) places.set(line, [...line.cells])
      const cells = places.get(line)
      cells.forEach((cell, at) => (cell.hidden = hidden.has(at)))
      line.append(...order.map((at) => cells[at]))
    }
    let isArranged = false
    const more = () => {
      const next = shown.slice(drawn, drawn + atOnce).map(lineOf)
      if (isArranged) next.forEach(arrange)
      body.append(...next)
      drawn += next.length
    }
    const draw = () => {
      body.replaceChildren()
      drawn = 0
      more()
      const number = (count) => count.toLocaleString('en')
      status.textContent = search.value === '' ? said : `${number(shown.length)} of ${said}`
    }
    const end = element('div', { className: 'end' })
    table.after(end)
    new IntersectionObserver(
      ([entry]) => {
        if (entry.isIntersecting && drawn < shown.length) more()
      },
      { root: section.querySelector('.box'), rootMargin: '600px' },
    ).observe(end)
    drawn = body.rows.length
    addEventListener('beforeprint', () => {
      while (drawn < shown.length) more()
    })

    let sorted
    const choose = () => {
      const text = search.value.toLowerCase()
      shown =
        text === ''
          ? rows
          : rows.filter(({ texts }) => texts.some((each) => each.toLowerCase().includes(text)))
      if (sorted !== undefined) {
        const { column, downwards } = sorted
        shown = [...shown].sort(({ texts: { [column]: a } }, { texts: { [column]: b } }) => {
          // What is missing comes last, whichever way it goes.
          if (isMissing(a) || isMissing(b)) return Number(isMissing(a)) - Number(isMissing(b))
          return (downwards ? -1 : 1) * compare(a, b)
        })
      }
      draw()
    }
    search.addEventListener('input', choose)
    search.addEventListener('keydown', (event) => {
      if (event.key !== 'Escape') return
      search.value = ''
      choose()
    })
    headings.forEach((heading, column) => {
      heading.querySelector('button').addEventListener('click', () => {
        const downwards = heading.getAttribute('aria-sort') === 'ascending'
        for (const each of headings) each.removeAttribute('aria-sort')
        heading.setAttribute('aria-sort', downwards ? 'descending' : 'ascending')
        sorted = { column, downwards }
        choose()
      })
    })

    // Columns to hide and to move.
    const rearrange = () => {
      isArranged = true
      ;[table.tHead.rows[0], ...body.rows].forEach(arrange)
    }
    const list = element('ul', {})
    const entries = headings.map((heading, at) => {
      const name = heading.textContent
      const box = element('input', { type: 'checkbox', checked: true })
      box.addEventListener('change', () => {
        hidden = new Set(box.checked ? [...hidden].filter((each) => each !== at) : [...hidden, at])
        rearrange()
      })
      const mover = (sign, label, by) => {
        const button = element('button', {
          type: 'button',
          textContent: sign,
          ariaLabel: `${label}: ${name}`,
        })
        button.addEventListener('click', () => {
          const from = order.indexOf(at)
          const to = from + by
          if (to < 0 || to >= order.length) return
          order.splice(to, 0, ...order.splice(from, 1))
          list.append(...order.map((each) => entries[each]))
          rearrange()
          button.focus()
        })
        return button
      }
      return element(
        'li',
        {},
        element('label', {}, box, ` ${name}`),
        mover('↑', 'Further left', -1),
        mover('↓', 'Further right', 1),
      )
    })
    list.append(...entries)
    if (headings.length > 1)
      status.after(
        element(
          'details',
          { className: 'columns' },
          element('summary', { textContent: 'Columns' }),
          list,
        ),
      )
  }

  addEventListener('keydown', (event) => {
    if (event.key !== '/' || event.target instanceof HTMLInputElement) return
    const search = document.querySelector('section.rows input[type=search]')
    if (search === null) return
    event.preventDefault()
    search.focus()
    search.select()
  })
}
