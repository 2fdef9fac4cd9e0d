import type { Glance } from '../documents/folder.js'
import type {
  Contract,
  DialectName,
  Endpoint,
  Fault,
  Field,
  InputField,
  Operation,
  RecordType,
  SecurityScheme,
  Type,
} from '../contract/contract.js'
import type { KeptNames } from '../contract/kept-names.js'
import type { Documents, LoadedDocument } from '../documents/documents.js'
import type { Names } from '../naming/names.js'
import type { Indent } from '../printing/escaping.js'
import type { Page } from '../printing/page.js'
import type { Code, Markdown } from '../printing/safe-text.js'

export type { LoadedDocument } from '../documents/documents.js'

/**
 * What the rest of the house asks of a dialect. A new dialect is one folder beside this file, one
 * in runtime, one line in the registry.
 */
export interface Dialect {
  readonly name: DialectName

  /**
   * Is this document the starting point of a contract in this dialect? Must be quick and never
   * throw.
   */
  recognise(text: string): boolean

  /** What a document, or a part of one, is for: by this it is found in a folder. */
  readonly glance?: Glance

  /**
   * Reads a contract, following references through `documents`.
   *
   * @param kept names given before, for dialects in which operations are told apart by more than
   *   their names
   * @throws Problem of kind `metadata` when there is nothing to call or the documents contradict
   *   themselves
   */
  read(documents: Documents, name: string, kept?: KeptNames): Promise<Contract>

  /** Can its documents be mended by overlays? */
  readonly takesOverlays?: true

  readonly emit: Emitter

  /**
   * Facts of an operation at one endpoint for people, as label and value: action, version, names on
   * the wire.
   */
  describe(
    contract: Contract,
    operation: Operation,
    endpoint: Endpoint,
  ): readonly (readonly [label: string, value: string])[]

  /**
   * What only the dialect knows of values beyond their types: whether a plain value satisfies a
   * type with all its rules, and values to try where the type itself says little. Left out where
   * types say all.
   */
  rules?(contract: Contract): {
    allows(type: Type, plain: unknown): boolean
    candidates(type: Type): readonly unknown[]
    /** What a text of a format looks like, where that is known. */
    ofFormat(format: string): string | undefined
  }

  /**
   * What a status of HTTP means in this dialect beyond what it means anyway, and what helps. Left
   * out where there is nothing of that.
   *
   * @param contract the name that the contract goes by, for commands to try
   */
  adviceOn?(
    status: number,
    contract: string,
  ): { readonly words: string; readonly advice: string } | undefined

  /** Where services of this dialect have their metadata, and how it is asked for. */
  readonly metadata: MetadataPlaces

  /** The rules that a named type has beyond its shape, in words. Left out where types say all. */
  rulesInWords?(contract: Contract, type: Type): readonly string[]

  /**
   * The variables in an endpoint's address with the values they may have (none: any), and the
   * address with some of them set. Left out where addresses have none.
   */
  serverVariables?(endpoint: Endpoint):
    | {
        readonly variables: Readonly<Record<string, readonly string[]>>
        address(values: Readonly<Record<string, string>>): string
      }
    | undefined

  /**
   * Where the metadata says that tokens are had, by security scheme; a discovery document says it
   * in turn. Left out where metadata says no such thing.
   */
  tokenPlaces?(
    contract: Contract,
  ): readonly { readonly scheme: string; readonly address: string; readonly isDiscovery: boolean }[]

  /**
   * An operation whose outcome is a list that comes in pages, as somebody says who knows; or the
   * reason in words why that can't be. Left out where the metadata says it all.
   */
  paged?(contract: Contract, operation: Operation, wish: PagesWish): Operation | string

  /**
   * How things stand on the wire, in facts by which two contracts are compared. Left out where the
   * contract says all.
   */
  readonly wire?: WireFacts

  /** Makes what the stand-in needs to play this contract. */
  play(contract: Contract): Player
}

/** What a change of a fact does to clients that run already. */
export type WireWeight = 'break' | 'may break' | 'fine'

/** A fact of how something stands on the wire. Of two that go by one label the values differ. */
export interface WireFact {
  /** What it is a fact of, in words: `SOAP action`. */
  readonly label: string
  readonly value: string
  /** What it does when it is another one, when it is no more, when it is new. Usually breaks. */
  readonly changed?: WireWeight
  readonly gone?: WireWeight
  readonly come?: WireWeight
  /** The way to travel in which it matters, where that is only one. */
  readonly when?: 'sent' | 'received'
}

/** How the things of a contract stand on the wire, beyond what the contract itself says. */
export interface WireFacts {
  operation(operation: Operation, endpoint: Endpoint): readonly WireFact[]
  endpoint(endpoint: Endpoint): readonly WireFact[]
  input(field: InputField): readonly WireFact[]
  /** A member of a record, or of an answer. */
  member(field: Field): readonly WireFact[]
  type(type: Type): readonly WireFact[]
  login(scheme: SecurityScheme): readonly WireFact[]
  /**
   * How a value is written: what is written in one form can't be read in another, unless one is
   * `any`, or `digits`, a number or a text. A list whose items stand beside each other has the form
   * of its item.
   */
  form(contract: Contract, type: Type): string
  /** Has every answer this member of it, null perhaps or without items? */
  isAlwaysThere(field: Field): boolean
  /** Is an input written as text, whatever its type is? */
  isText(field: InputField): boolean
  /**
   * What tells an operation apart from others on the wire, where that is more than its key or path
   * say; undefined where they say it.
   */
  identity?(operation: Operation): string
  /** Must the members of a record come in the order in which it has them? */
  isOrdered(record: RecordType): boolean
}

/** Where metadata is usually had from. */
export interface MetadataPlaces {
  /** What is added to the address of a service. */
  readonly addresses: readonly string[]
  /** What a link says that leads to it. */
  readonly links: RegExp
  /** Media types that it is asked for in, the best first. */
  readonly mediaTypes: readonly string[]
}

/**
 * How a list comes in pages. Places in an answer are JSON Pointers (RFC 6901) into its body, or
 * names of headers.
 */
export interface PagesWish {
  /** Where the rows are; the whole answer, or the only list in it, when left out. */
  readonly rows?: string
  /** Where it says how many there are in all. */
  readonly total?: string
  /** Where it says what comes next; a link `next` of the header `Link` when left out. */
  readonly next?: string
  /** The path of the input that takes what stands there; when left out, that is an address. */
  readonly into?: string
  /** The words in `leadsTo` that say the same. */
  readonly link?: string
}

/** The parts of a generated client that differ from dialect to dialect. */
export interface Emitter {
  /** Files of src/runtime that a client of this contract needs, as paths below it. */
  runtimeFiles(contract: Contract): readonly string[]
  /** Packages of the registry that such a client needs, with the version range. */
  dependencies(contract: Contract): Readonly<Record<string, string>>
  /**
   * Identifiers that the operation's file uses itself, so that no type may be imported under them.
   */
  reservedNames(contract: Contract): readonly string[]
  /**
   * Files beside those that all clients have: codecs.ts, unless every type is on the wire as it is
   * in TypeScript, and what else the dialect needs.
   */
  pages(contract: Contract, names: Names): readonly Page[]
  /** How an operation is declared on a page, where that says more than the contract's types do. */
  declaration?(context: DeclarationContext): Declaration
  /**
   * Adds to an operation's file its exported function, and what that needs. The input and outcome
   * types are on the page already.
   */
  operation(context: OperationContext): void
  /** Adds `endpoints` to settings.ts: the addresses and protocols of the metadata. */
  endpoints(contract: Contract, page: Page, preferred?: string): void
  /**
   * How content that the contract leaves open is typed: an element of it, and the member of a
   * record that holds it.
   */
  readonly open: OpenTypes
  /**
   * Sections of the client's README about what is this dialect's own, as lines of Markdown;
   * `variable` holds the client in examples.
   */
  readme?(contract: Contract, variable: Code, names: Names): readonly Markdown[]
  /**
   * Variables that settings can be filled from, besides those of all clients, without their prefix.
   */
  readonly variables?: readonly VariableGroup[]
  /** The module whose `settingsFrom` reads them, where it is not that of all clients. */
  readonly settingsModule?: string
  /** Logins of this dialect's own that take more than a header: their constants, by kind. */
  readonly ownLogins?: Readonly<Record<string, { readonly module: string; readonly name: string }>>
  /** Ways to say who calls that are this dialect's own, for the template of settings. */
  readonly logins?: readonly LoginVariables[]
  /** What index.ts exports of this dialect's runtime: module and clause. */
  reexports(contract: Contract): readonly (readonly [module: string, clause: Code])[]
}

/** Variables that are needed together, and what for. */
export interface VariableGroup {
  readonly say: string
  readonly names: readonly string[]
}

/** Variables by which somebody says who calls, with the security schemes that they are for. */
export interface LoginVariables extends VariableGroup {
  readonly schemes: readonly SecurityScheme['scheme'][]
  /** The kind of credentials that they make, where that takes more than a header. */
  readonly login?: string
}

/**
 * Lines to put into a record that is open, and the type of a value that may be anything; the name
 * of a record that the dialect's runtime has a type for.
 */
export interface OpenTypes {
  /** @param textOf the text of a type in it */
  known?(type: RecordType, page: Page, textOf: (type: Type) => Code): Code | undefined
  fragment(page: Page): Code
  /** @param required is there open content at least? */
  recordLines(page: Page, required?: boolean, indent?: Indent): readonly Code[]
}

export interface DeclarationContext {
  readonly contract: Contract
  readonly names: Names
  readonly operation: Operation
  /** Where the declaration is printed: what it needs is imported there. */
  readonly page: Page
  /** The names of the types of its input and its outcome. */
  readonly inputType: Code
  readonly outcomeType: Code
}

/** What of an operation's declaration differs from the usual. */
export interface Declaration {
  /**
   * What the input's type is built on, and the inputs that it covers: those need no lines of their
   * own.
   */
  readonly inputBase?: { readonly text: Code; readonly covers: readonly string[] }
  readonly signature?: Signature
}

/** How an operation's function is declared. */
export interface Signature {
  /** Type parameters with their brackets, or nothing. */
  readonly typeParameters: Code
  /** The parameter for the input: `input: ListBerthsInput = {}`. */
  readonly input: Code
  /** The type that it returns, promise included. */
  readonly returns: Code
  /** The type of the parameter for what belongs to this call alone, where it is more than usual. */
  readonly thisCall?: Code
}

export interface OperationContext extends DeclarationContext {
  /** What the constant is called that says how the operation stands on the wire. */
  readonly constant: Code
  readonly signature: Signature
}

/** A request as it came to the stand-in. */
export interface PlayRequest {
  readonly method: string
  /** Path and query. */
  readonly target: string
  readonly headers: Readonly<Record<string, string>>
  readonly body: Uint8Array
}

export interface PlayResponse {
  readonly status: number
  readonly headers: Readonly<Record<string, string>>
  readonly body: string | Uint8Array
}

/**
 * A request that was understood: the operation, its input in the shapes of the client, and how to
 * answer it.
 */
export interface UnderstoodCall {
  readonly operation: Operation
  readonly endpoint: Endpoint
  readonly input: Readonly<Record<string, unknown>>
  /** @param improvise makes a value of a type from nothing, for what an answer has besides */
  answer(value: unknown, improvise: (type: Type, name: string) => unknown): PlayResponse
  /**
   * What the dialect itself says that the operation does, where its standard defines that: with
   * rows of the stand-in, which it may change. Undefined when the rows it would need are not there.
   */
  perform?(rows: Rows): PlayResponse | undefined
  fault(fault: Fault, detail: unknown, reason: string): PlayResponse
}

/**
 * The rows that a stand-in knows, by table, in plain form: live, so that what is changed is
 * changed.
 */
export type Rows = (table: string) => Record<string, unknown>[] | undefined

/** Several calls in one request: units, of which each happens as a whole or not at all. */
export interface SeveralCalls {
  readonly units: readonly (readonly { readonly id: string; readonly request: PlayRequest }[])[]
  /** Units after one that failed are tried all the same. */
  readonly goesOn: boolean
  /** A call with the addresses of what calls before it made, by their ids. */
  resolved(request: PlayRequest, made: ReadonlyMap<string, string>): PlayRequest
  /** The answer to all of them. A unit that failed has one answer. */
  answer(answers: readonly (readonly PlayResponse[])[]): PlayResponse
}

/** Understands requests and forms answers, from the contract alone. */
export interface Player {
  /**
   * The calls of a request that carries several; undefined when it is an ordinary one. Left out
   * where there is no such thing.
   */
  several?(request: PlayRequest): SeveralCalls | PlayResponse | undefined
  /** The call in a request; or, when it can't be understood, the response that says so. */
  understand(request: PlayRequest): UnderstoodCall | PlayResponse
  /** The metadata documents, with the addresses in them replaced by the stand-in's own. */
  metadata(documents: readonly LoadedDocument[], address: string): readonly ServedDocument[]
}

/** A metadata document as the stand-in serves it, under `path` (with its query). */
export interface ServedDocument {
  readonly target: string
  readonly mediaType: string
  readonly text: string
}
