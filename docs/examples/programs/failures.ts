import {
  ContractBreach,
  InputRejected,
  isGetBerthFault,
  ServiceFault,
  TransportFailure,
} from './clients/berths/index.js'

/** What a server of our own says of a call that failed: whose side it is on decides. */
export function statusOf(error: unknown): number {
  // What the visitor asked for does not exist, or can't be asked so.
  if (isGetBerthFault(error)) return 404
  if (error instanceof InputRejected) return 400
  // The service behind us is late, away, or speaks otherwise than it promised.
  if (error instanceof TransportFailure) return error.kind === 'timeout' ? 504 : 503
  if (error instanceof ServiceFault || error instanceof ContractBreach) return 502
  return 500
}
