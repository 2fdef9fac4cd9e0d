// What is folded is printed all the same.
{
  let folded = []
  addEventListener('beforeprint', () => {
    folded = [...document.querySelectorAll('details:not([open])')]
    for (const each of folded) each.open = true
  })
  addEventListener('afterprint', () => {
    for (const each of folded) each.open = false
  })
}
