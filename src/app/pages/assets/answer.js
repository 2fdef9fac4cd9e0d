// A table that is sorted by a click on a heading, or Enter; once more turns it round.
{
  const compare = (a, b) => {
    const isNumber = (text) => /^[+-]?\d+(?:\.\d+)?$/.test(text)
    return isNumber(a) && isNumber(b)
      ? Number(a) - Number(b) || a.localeCompare(b)
      : a.localeCompare(b, undefined, { numeric: true })
  }
  for (const table of document.querySelectorAll('table.rows')) {
    const body = table.tBodies[0]
    const headings = [...table.tHead.rows[0].cells]
    headings.forEach((heading, column) => {
      // Tables that are read in their own order have headings without buttons.
      heading.querySelector('button')?.addEventListener('click', () => {
        const downwards = heading.getAttribute('aria-sort') === 'ascending'
        for (const each of headings) each.removeAttribute('aria-sort')
        heading.setAttribute('aria-sort', downwards ? 'descending' : 'ascending')
        const rows = [...body.rows].sort((a, b) => {
          const [left, right] = [a, b].map((row) => row.cells[column].textContent)
          // What is missing comes last, whichever way it goes.
          if (left === '' || right === '') return Number(left === '') - Number(right === '')
          return (downwards ? -1 : 1) * compare(left, right)
        })
        body.append(...rows)
      })
    })
  }
  const search = document.querySelector('#search')
  const count = document.querySelector('#found')
  search?.addEventListener('input', () => {
    const text = search.value.toLowerCase()
    const rows = [...document.querySelectorAll('table.rows tbody tr')]
    for (const row of rows) row.hidden = !row.textContent.toLowerCase().includes(text)
    count.textContent =
      text === '' ? '' : `${rows.filter((row) => !row.hidden).length} of ${rows.length}`
  })
}
