/** What is wrong with a command line, in our own words: how the parser says it, and how we do. */
const sayings: readonly (readonly [RegExp, (...parts: string[]) => string])[] = [
  [
    /^unknown command '(.*?)'(?:\s*\(Did you mean (.*)\?\))?$/s,
    (name, near) => `There is no command "${name}"${meant(near)}.`,
  ],
  [
    /^unknown option '(.*?)'(?:\s*\(Did you mean (.*)\?\))?$/s,
    (name, near) => `There is no option ${name}${meant(near)}.`,
  ],
  [/^missing required argument '(.*)'$/s, (name) => `<${name}> is missing.`],
  [
    /^option '(?:-\w, )?(--[\w-]+) (.*)' argument missing$/s,
    (option, value) => `${option} needs ${value} behind it.`,
  ],
  [
    /^option '(?:-\w, )?(--[\w-]+) .*?' argument '(.*)' is invalid\. Allowed choices are (.*)\.$/s,
    (option, value, choices) => `${option} is one of ${choices}, and not "${value}".`,
  ],
  [
    /^option '(.*?)' cannot be used with option '(.*?)'$/s,
    (option, other) => `${option} does not go with ${other}.`,
  ],
  [
    /^too many arguments(?: for '(.*?)')?\. Expected (\d+) arguments? but got (\d+)/s,
    (name, expected, got) =>
      `${name === '' ? 'The command' : name} takes ${expected === '0' ? 'no arguments' : expected}, and there ${got === '1' ? 'is 1' : `are ${got}`}.`,
  ],
]

function meant(near: string): string {
  return near === '' ? '' : `; perhaps you mean ${near.replace(/^one of /, '')}`
}

/**
 * What is wrong with a command line, as people are told.
 *
 * @param message what the parser says of it
 */
export function usageText(message: string): string {
  const text = message.replace(/^error: /, '')
  for (const [form, say] of sayings) {
    const parts = form.exec(text)
    if (parts !== null)
      return say(...parts.slice(1).map((part) => (part as string | undefined) ?? ''))
  }
  return `${text.charAt(0).toUpperCase()}${text.slice(1)}${text.endsWith('.') ? '' : '.'}`
}
