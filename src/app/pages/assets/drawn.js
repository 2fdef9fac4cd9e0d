// Makes a part of a picture: element, attributes, what is inside of it.
window.drawn = (name, attributes = {}, ...inside) => {
  const made = document.createElementNS('http://www.w3.org/2000/svg', name)
  for (const [each, value] of Object.entries(attributes)) made.setAttribute(each, value)
  made.append(...inside)
  return made
}
