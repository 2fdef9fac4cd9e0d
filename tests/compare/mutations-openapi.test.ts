import { judgeMutations } from './mutations.js'

judgeMutations('quay.yaml', 700)
