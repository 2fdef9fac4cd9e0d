// The page that is one picture: what was chosen is told beside it.
{
  const facts = JSON.parse(document.querySelector('#facts').textContent)
  const aside = document.querySelector('aside')
  const svg = document.querySelector('svg.picture')

  const element = (name, text, ...children) => {
    const made = document.createElement(name)
    if (text !== undefined) made.textContent = text
    made.append(...children)
    return made
  }

  const tell = ({ name, what, documentation, rows, links, code }) => {
    const close = element('button', 'Close')
    close.addEventListener('click', () => window.picture.choose(undefined))
    const parts = [element('div', undefined, close), element('h2', name), element('p', what)]
    parts[2].className = 'faint'
    if (documentation) parts.push(element('p', documentation))
    if (rows.length > 0)
      parts.push(
        element(
          'table',
          undefined,
          ...rows.map((row) => element('tr', undefined, ...row.map((cell) => element('td', cell)))),
        ),
      )
    for (const { text, to } of links) {
      const link = element('a', text)
      link.href = '#'
      link.addEventListener('click', (event) => {
        event.preventDefault()
        window.picture.choose(to)
        window.picture.centre(to)
      })
      parts.push(element('div', undefined, link))
    }
    if (code) {
      const link = element('a', `${code.file}:${code.line}`)
      link.href = code.url
      parts.push(element('h3', 'Generated code'), link)
    }
    aside.replaceChildren(...parts)
    aside.hidden = false
  }

  svg.addEventListener('choose', ({ detail }) => {
    if (detail === null) aside.hidden = true
    else tell(facts[detail.id])
  })
  addEventListener('keydown', (event) => {
    if (event.key === 'Escape' && !aside.hidden) window.picture.choose(undefined)
    if (event.key === '/' && !(event.target instanceof HTMLInputElement)) {
      event.preventDefault()
      document.querySelector('#picture-search').focus()
    }
  })
}
