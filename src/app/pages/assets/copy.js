// Code has a button that copies it, from when it is first seen.
{
  /** Copies a text, or selects it where pages may not copy; the button says which. */
  window.copyText = async (pre, button) => {
    const isCopied = await navigator.clipboard.writeText(pre.textContent).then(
      () => true,
      () => false,
    )
    if (!isCopied) getSelection().selectAllChildren(pre)
    button.textContent = isCopied ? 'Copied' : 'Selected'
    setTimeout(() => (button.textContent = 'Copy'), 2000)
  }
  const equip = (pre) => {
    if (pre.parentElement.classList.contains('copying')) return
    const holder = document.createElement('div')
    holder.className = 'copying'
    const button = Object.assign(document.createElement('button'), { textContent: 'Copy' })
    button.addEventListener('click', () => window.copyText(pre, button))
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
