import { judgeMutations } from './mutations.js'

judgeMutations('quay.xml', 600)
