// What is wider than its box can be reached, and moved, from the keyboard.
{
  const equip = (box) => {
    const isLarger = box.scrollWidth > box.clientWidth || box.scrollHeight > box.clientHeight
    if (isLarger) box.tabIndex = 0
    else if (!box.matches('section.rows > .box')) box.removeAttribute('tabindex')
  }
  const lookAt = (part) => part.querySelectorAll('.box, pre').forEach(equip)
  const lookSoon = ({ target }) => requestAnimationFrame(() => lookAt(target))
  document.addEventListener('toggle', lookSoon, true)
  // What is not yet seen has no size.
  document.addEventListener('contentvisibilityautostatechange', lookSoon, true)
  addEventListener('resize', () => lookAt(document))
  lookAt(document)
}
