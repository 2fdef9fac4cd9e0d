import { judgeMutations } from './mutations.js'

judgeMutations('quay.wsdl', 700)
