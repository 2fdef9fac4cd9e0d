// Code has a button that copies it, from when it is first seen.
{
  const copy = async (text) => {
    try {
      await navigator.clipboard.writeText(text)
    } catch {
      // Where pages may not, the reader can: the text is selected.
      return false
    }
    return true
  }
  const equip = (pre) => {
    if (pre.parentElement.classList.contains('copying')) return
    const holder = document.createElement('div')
    holder.className = 'copying'
    const button = Object.assign(document.createElement('button'), { textContent: 'Copy' })
    button.addEventListener('click', async () => {
      if (await copy(pre.textContent)) button.textContent = 'Copied'
      else {
        getSelection().selectAllChildren(pre)
        button.textContent = 'Selected'
      }
      setTimeout(() => (button.textContent = 'Copy'), 2000)
    })
    pre.replaceWith(holder)
    holder.append(pre, button)
  }
  // Of what is folded nothing is equipped: of a thousand things somebody unfolds a few.
  document.addEventListener(
    'toggle',
    ({ target }) => {
      if (target.open) target.querySelectorAll('pre.copied').forEach(equip)
    },
    true,
  )
}
