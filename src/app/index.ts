/**
 * The library's public face: what the commands do, for programs.
 *
 * @example
 * import { importContract, generateClient } from 'tolmach'
 * await importContract('http://127.0.0.1:4801/desk?wsdl', { as: 'berths' })
 * const { folder } = await generateClient('berths')
 */
export {
  importContract,
  importSummary,
  type Imported,
  type ImportOptions,
} from './import-contract.js'
export { preferredEndpoint } from './contracts/preferred-endpoint.js'
export { clientState, type ClientState } from './clients/client-state.js'
export {
  generateClient,
  generatedSummary,
  generateOpened,
  type Generated,
  type GenerateOptions,
} from './generate-client.js'
export { showContract, findInContract, type Found, type Shown } from './show-contract.js'
export { packClients, packedSummary, type Packed, type PackOptions } from './pack-clients.js'
export {
  draftDescription,
  draftSummary,
  type DraftedDescription,
  type DraftOptions,
} from './draft-description.js'
export {
  draftOverlays,
  overlaysSummary,
  type DraftedOverlay,
  type DraftedOverlays,
  type OverlayOptions,
} from './draft-overlay.js'
export { siteSettings, type SiteSettings, type SiteSettingsOptions } from './site-settings.js'
export { listContracts, type Listed } from './list-contracts.js'
export { listLeftOver, type LeftOver } from './list-left-over.js'
export { saveReferencePage } from './save-reference-page.js'
export { drawDiagram, diagramText, type DiagramOptions, type Drawn } from './draw-diagram.js'
export { locateThing, type Located } from './locate-thing.js'
export { callOperation, type Called, type CallOptions } from './call-operation.js'
export { answerJson, type FinishedAnswer } from './calls/answer-json.js'
export { problemJson } from './problem-json.js'
export {
  compareContracts,
  comparisonSummary,
  isTooMuch,
  type CompareOptions,
  type Comparison,
  type PlacedChange,
} from './compare-contracts.js'
export {
  planRefresh,
  type PlannedRefresh,
  type Refreshed,
  type RefreshOptions,
} from './refresh-contract.js'
export {
  forgetContract,
  forgottenSummary,
  type ForgetOptions,
  type Forgotten,
} from './forget-contract.js'
export {
  checkJunit,
  checkProject,
  checkSummary,
  isSound,
  type Checked,
  type CheckOptions,
  type Finding,
} from './check-project.js'
export { checkReportFile, saveComparison } from './save-comparison.js'
export { sampleFor } from './sample-input.js'
export {
  rehearse,
  junitXml,
  type RehearsalReport,
  type RehearseOptions,
  type StepReport,
} from './rehearse.js'
export { callEach, type EachOptions, type Run } from './call-each.js'
export {
  misbehaviours,
  serveContracts,
  type Event,
  type Misbehaviour,
  type Served,
  type ServeOptions,
  type Temper,
} from './serve-contracts.js'
export { type Person } from './auth/credentials.js'
export {
  openContract,
  findOperation,
  type OpenContract,
  type OpenOptions,
} from './contracts/open-contract.js'
export { Problem, exitCodes, type ProblemKind } from '../contract/problem.js'
export type * from '../contract/contract.js'
