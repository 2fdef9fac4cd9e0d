import Sequencer from '@jest/test-sequencer'

/** What takes longest, for machines that don't know it yet: nothing long is left for the end. */
const long = [
  'journeys/compilers',
  'project/kills',
  'journeys/fuzz',
  'journeys/rehearse',
  'journeys/growth',
  'journeys/rows',
  'dialects/endless-documents',
  'journeys/register-deeds',
  'journeys/looking',
  'journeys/misbehaviour',
  'journeys/commands',
]

export default class LongestFirst extends Sequencer {
  sort(tests) {
    const rank = ({ path }) => {
      const at = long.findIndex((name) => path.endsWith(`${name}.test.ts`))
      return at === -1 ? long.length : at
    }
    return [...super.sort(tests)].sort((a, b) => rank(a) - rank(b))
  }
}
