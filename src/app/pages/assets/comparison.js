// Finds changes by what is written in them.
{
  const search = document.getElementById('search')
  const found = document.getElementById('found')
  search?.addEventListener('input', () => {
    const wanted = search.value.trim().toLowerCase()
    let count = 0
    for (const change of document.querySelectorAll('.change')) {
      const fits = change.textContent.toLowerCase().includes(wanted)
      change.hidden = !fits
      if (fits) count += 1
    }
    if (wanted !== '')
      for (const part of document.querySelectorAll('details.part')) part.open = true
    found.textContent = wanted === '' ? '' : `${count} found`
  })
}
