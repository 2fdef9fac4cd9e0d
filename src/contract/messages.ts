import type { ProblemKind } from './problem.js'

/**
 * Every message that Tolmach can give, by its stable code. A code is never used again for something
 * else. 10xx the command and the project · 20xx documents · 21xx WSDL · 22xx XML Schema · 23xx
 * OpenAPI · 24xx OData · 30xx generation · 40xx calls · 90xx defects. docs/messages.md lists the
 * same codes; a test compares the two.
 */
export const messages = {
  'TM-1001': entry('input', 'There is no contract "{name}" in this project.', '{nearest}'),
  'TM-1002': entry(
    'input',
    'No project file was found: there is no tolmach.yaml {where}.',
    'Import a service first (`tolmach import <file or address>`), or name the folder with --project.',
  ),
  'TM-1003': entry(
    'input',
    'The project file is not valid: {reason}.',
    'Correct the line named; docs/reference.md lists every key.',
  ),
  'TM-1004': entry(
    'input',
    'A contract "{name}" exists already, imported from {from}.',
    'Replace it with --overwrite, or give the new one another name with --as.',
  ),
  'TM-1005': entry('input', 'There is no {what} "{name}" in {contract}.', '{nearest}'),
  'TM-1006': entry(
    'input',
    '"{name}" can\'t name a contract: a name is a letter followed by letters, digits, `-` or `_`, at most 60 in all.',
    'Choose one with --as <name>.',
  ),
  'TM-1007': entry(
    'input',
    "{what} can't be read: {reason}.",
    'Check the path and its permissions.',
  ),
  'TM-1008': entry(
    'input',
    "{what} can't be written: {reason}.",
    'Check the path, its permissions and the space left. What was there before is untouched.',
  ),
  'TM-1009': entry(
    'input',
    '{what} is neither valid JSON nor valid YAML: {reason}.',
    'Correct the input; `tolmach sample <contract> <operation>` prints one that works.',
  ),
  'TM-1010': entry('input', "The option {option} can't be understood: {reason}.", '{remedy}'),
  'TM-1011': entry('input', '{text}', 'See `tolmach {command} --help`.'),
  'TM-1012': entry(
    'input',
    'The snapshot of "{name}" is damaged: {reason}.',
    'Fetch it again with `tolmach import {from} --as {name} --overwrite`.',
  ),
  'TM-1013': entry(
    'input',
    'The input does not satisfy the contract at {count}. Nothing was sent.',
    'Correct the places listed; `tolmach show {contract} {operation}` tells what goes where.',
  ),
  'TM-1014': entry(
    'input',
    'The seed data {file} is not valid: {reason}.',
    'Correct the place named; docs/reference.md describes seed data.',
  ),
  'TM-1016': entry(
    'input',
    'Nothing can listen on port {port}: {reason}.',
    'Choose another port with --port, or leave it out for a free one.',
  ),
  'TM-1017': entry(
    'input',
    "The folder {folder} is not empty, and it isn't one that `tolmach demo` made.",
    'Name a new folder: `tolmach demo <folder>`.',
  ),
  'TM-1018': entry(
    'input',
    "The rows of {file} can't be used: {reason}.",
    'Correct that place. Nothing was sent.',
  ),
  'TM-1019': entry(
    'input',
    'An earlier run over {file} stopped before all rows went well: {done} of them did.',
    '--resume goes on with the others; --overwrite starts from the beginning, and calls again what went well. Nothing was sent.',
  ),
  'TM-1020': entry(
    'input',
    "The recorded answers {file} can't be used: {reason}.",
    'Record them with `tolmach rehearse --keep` or `tolmach call --har`, or save them from a browser as HAR.',
  ),
  'TM-1021': entry(
    'input',
    'The rehearsal {file} is not valid: {reason}.',
    'Correct that line; docs/reference.md describes rehearsals. Nothing was called.',
  ),
  'TM-1022': entry(
    'input',
    'The {field} of the credential "{name}" stands in the clear.',
    'Write the name of a variable in its place, `{field}: ${variable}`, and put {variable}=… into the environment, or into a file .env beside tolmach.yaml that version control does not see.',
  ),
  'TM-1023': entry(
    'input',
    'The credential "{name}" needs the variable {variable}, which is not set.',
    'Set it in the environment, or in a file .env beside tolmach.yaml that version control does not see. Nothing was sent.',
  ),
  'TM-1024': entry('input', 'There is no credential "{name}" in tolmach.yaml.', '{nearest}'),
  'TM-1025': entry(
    'login',
    'Nobody is logged in with the credential "{name}": {reason}.',
    'Call again at a terminal and log in with a browser; authorizeUrl and tokenUrl of the credential say where. Nothing was sent.',
  ),
  'TM-1026': entry(
    'input',
    'A credential is meant for the security scheme "{name}", which {contract} does not know.',
    "{nearest} The keys of `credential` in tolmach.yaml are the contract's own names for its schemes. Nothing was sent.",
  ),
  'TM-1027': entry(
    'input',
    'The secret of the client "{client}" would go to {address}: the metadata names that address for tokens, and nobody has confirmed it.',
    'If it is the right place, write it into the credential of tolmach.yaml, tokenUrl: <address> (where it is a discovery document, its token_endpoint). Nothing was sent.',
  ),
  'TM-1028': entry(
    'input',
    "The folder of a contract in tolmach.yaml can't be {folder}: {reason}.",
    'Name a folder of its own inside the project, like src/clients/{name}.',
  ),
  'TM-1029': entry(
    'input',
    'Another process is writing into this project: {process} on {host}, for `{command}`, since {since}.',
    'Wait until it is done, and try again. If it is not running any more, remove the file .tolmach/lock.',
  ),
  'TM-1030': entry(
    'input',
    'The metadata of {contract} does not say where the service is: its address is "{address}".',
    'Give the whole address: --url https://…, or url below a site in tolmach.yaml; in code, url in the settings.',
  ),
  'TM-1031': entry(
    'input',
    'Rows that an earlier run did are not in {file} any more, or say something else now (rows {rows} of that run): what is new there could be one of them, and be done twice.',
    'Put them back as they were, or put the rows that are still to be sent into a file of their own; --overwrite starts from the beginning. Nothing was sent.',
  ),
  'TM-1032': entry(
    'input',
    "The rows of {operation} can't be had page by page as tolmach.yaml says: {reason}.",
    'Mend its line under pages; docs/reference.md says what may stand there.',
  ),
  'TM-1033': entry(
    'input',
    '{contract} takes no several calls in one request: only services of OData do.',
    'Call them one by one, or put them into a rehearsal: `tolmach rehearse`.',
  ),
  'TM-1034': entry(
    'input',
    "The calls of {what} can't be used: {reason}.",
    'Correct that place; docs/reference.md says what may stand in such a file. Nothing was sent.',
  ),
  'TM-1035': entry(
    'input',
    '{path} is {digits}, which no number of JavaScript holds exactly, and the contract does not say what stands there.',
    'Write it with 15 digits at most, or in quotes if the service takes a text. Nothing was sent.',
  ),
  'TM-1036': entry(
    'input',
    '{contract} has no operation: its metadata describes only messages that the service sends.',
    '`tolmach generate {contract}` writes their types. Nothing was called.',
  ),
  'TM-1037': entry(
    'input',
    'It is not said what {contract} is to be compared with: it is in no project, which would know where it came from.',
    'Give two places: `tolmach compare <file or address> <file or address>`.',
  ),
  'TM-1038': entry(
    'input',
    "The program can't be written to {file}: {reason}.",
    'Name another file, like src/first.ts; --overwrite writes over one that is there. The client was written.',
  ),
  'TM-1039': entry(
    'input',
    '{contract} has no operation that a program could call.',
    'Its types can be imported; there is nothing to run.',
  ),
  'TM-1040': entry(
    'input',
    'The header "{header}" in tolmach.yaml needs the variable {variable}, which is not set.',
    'Set it in the environment, or in a file .env beside tolmach.yaml that version control does not see. Nothing was sent.',
  ),
  'TM-1041': entry(
    'input',
    '{by} names the site "{site}", which tolmach.yaml does not have.',
    '{nearest} Nothing was sent.',
  ),
  'TM-1042': entry(
    'input',
    'Packing compiles a client with TypeScript 5.4 or later, and {found}.',
    'Install it: `npm install --save-dev typescript`. Nothing was written.',
  ),
  'TM-1043': entry(
    'input',
    'TypeScript {version} did not compile the package: {reason}',
    'Try another version of TypeScript. Nothing was written.',
  ),
  'TM-1044': entry(
    'input',
    "What {package} was made of when it was packed last can't be read: {reason}",
    'Get the folder {folder} back from version control; or take it away, and say with --version which version comes next. Nothing was written.',
  ),
  'TM-1045': entry(
    'input',
    'Nothing says under which licence the package is given away.',
    'Write "license" into package.json, or give --license MIT, say; --license UNLICENSED lets nobody else use it. Nothing was written.',
  ),
  'TM-1046': entry(
    'input',
    'The package can\'t be called "{name}": {reason}.',
    'Give another name with --name, `harbour-clients` or `@harbour/clients`, say. Nothing was written.',
  ),
  'TM-1047': entry(
    'input',
    '"{version}" is not a version.',
    'Write it like 1.2.0 or 2.0.0-beta.1, or `auto` to have it worked out. Nothing was written.',
  ),
  'TM-1048': entry(
    'input',
    'There is an archive {file} already, with other contents: {version} was packed before.',
    'Give another version, or write over it with --overwrite. Nothing was written.',
  ),
  'TM-1049': entry(
    'input',
    '{file} has nothing to draft from: {reason}.',
    'Give an HTTP archive (HAR), which browsers, `tolmach listen` and `call --har` save, or an answer in JSON. Nothing was written.',
  ),
  'TM-1050': entry(
    'input',
    '{file} is an answer alone, and nothing says what was asked.',
    'Say it: --request "GET https://…". Nothing was written.',
  ),
  'TM-1051': entry(
    'input',
    'In {files} there is no call of a service: {reason}.',
    'Record calls that are answered in JSON, or choose with --only <address> which ones are meant. Nothing was written.',
  ),
  'TM-1052': entry(
    'input',
    'The file {file} is no description that could be widened: {reason}',
    'Give another name with --save, or write over it with --overwrite. Nothing was written.',
  ),

  'TM-2001': entry(
    'metadata',
    "{location} can't be read: {reason}.",
    'Check the path. Nothing was imported.',
  ),
  'TM-2002': entry(
    'unreachable',
    'Nobody answers at {location}: {reason}.',
    'Check the address and whether the service runs. Nothing was imported.',
  ),
  'TM-2003': entry(
    'timeout',
    '{location} did not answer within {seconds} s.',
    'Try again, or allow more time with --timeout. Nothing was imported.',
  ),
  'TM-2004': entry(
    'login',
    '{location} wants a login (HTTP {status}).',
    'Name a credential of tolmach.yaml with --credential, or import at a terminal, where you are asked; or save the metadata from a browser where you are logged in and import the file. Nothing was imported.',
  ),
  'TM-2005': entry(
    'metadata',
    '{location} answered with HTTP {status} instead of metadata.',
    'Check the address in a browser; for a WSDL it often ends in ?wsdl. Nothing was imported.',
  ),
  'TM-2006': entry(
    'metadata',
    "This is an HTML page, not a service's metadata{titled}.",
    'It may be a login page or a page about the service: look at it in a browser and find the link to the metadata. Nothing was imported.',
  ),
  'TM-2007': entry(
    'metadata',
    'The XML is broken: {reason}.',
    'The document may be cut off or damaged; fetch it again. Nothing was imported.',
  ),
  'TM-2008': entry(
    'metadata',
    'The document has a DTD (<!DOCTYPE>), which is refused because it can make a reader fetch or expand anything.',
    'Remove the DOCTYPE line if you trust the document. Nothing was imported.',
  ),
  'TM-2009': entry(
    'metadata',
    'The document is no WSDL, OpenAPI or OData metadata: {found}.',
    'Give the address or file of the metadata itself. Nothing was imported.',
  ),
  'TM-2010': entry(
    'metadata',
    "The document refers to {reference}, which can't be read: {reason}.",
    'Fetch that document and put it beside this one, or correct the location. Nothing was imported.',
  ),
  'TM-2011': entry(
    'metadata',
    'A document from {from} refers to the local file {reference}; a far document may not read files of this machine.',
    'Save all its documents locally if you trust them. Nothing was imported.',
  ),
  'TM-2012': entry(
    'metadata',
    'The metadata is larger than Tolmach reads ({limit}).',
    'Import a part of it. Nothing was imported.',
  ),
  'TM-2013': entry(
    'metadata',
    'The folder {location} holds no metadata{detail}.',
    'Name the file itself. Nothing was imported.',
  ),
  'TM-2014': entry(
    'metadata',
    "The document can't be read as text: {reason}.",
    'Save it as UTF-8. Nothing was imported.',
  ),
  'TM-2015': entry('metadata', 'The document is empty.', 'Fetch it again. Nothing was imported.'),

  'TM-2016': entry(
    'metadata',
    'The JSON or YAML is broken: {reason}.',
    'Correct that place; YAML cares about indentation. Nothing was imported.',
  ),
  'TM-2017': entry(
    'login',
    "This is a login page, not a service's metadata{titled}.",
    'Log in with a browser, save the metadata there and import the file; or, where the service knows other ways to log in, name one with --credential. Nothing was imported.',
  ),
  'TM-2018': entry(
    'login',
    '{location} does not take the login that was given (HTTP {status}).',
    'Check the user, the password and the credential: they are wrong, have ended, or are of another kind than is wanted. Nothing was imported.',
  ),
  'TM-2019': entry(
    'metadata',
    '{what}: it is taken as it can only be meant.',
    'Tell the owner: other readers refuse the document.',
  ),
  'TM-2020': entry(
    'metadata',
    'The metadata is broken here, and these are left out: {parts}. {reason}',
    'No operation that is chosen needs it; correct the document, or ask its owner to, before you choose one that does.',
  ),
  'TM-2021': entry(
    'metadata',
    'This is no metadata: it looks like an answer of a service{found}.',
    'Where the service publishes none, draft a description from what it answers: {draft}. Nothing was imported.',
  ),
  'TM-2022': entry(
    'input',
    '{overlay} is no overlay: {reason}.',
    'An overlay follows the Overlay Specification 1 of the OpenAPI Initiative: `overlay: 1.0.0`, `info`, and `actions` with a `target` each. Nothing was written.',
  ),
  'TM-2023': entry(
    'input',
    "An action of the overlay {overlay} can't be done: {reason}.",
    'Correct the action, or take it out. Nothing was written.',
  ),
  'TM-2024': entry(
    'metadata',
    'An action of the overlay changes nothing: there is no {target} in the description.',
    'The description may have been mended since; then the action can go. Else correct its target.',
  ),
  'TM-2025': entry(
    'input',
    'Overlays mend descriptions in OpenAPI, and {contract} is {dialect}.',
    'Leave the overlay out. Nothing was written.',
  ),
  'TM-2026': entry(
    'metadata',
    '{overlay} is an overlay: it mends a description, and is none itself.',
    'Import the description that it mends, with `--overlay {overlay}`. Nothing was imported.',
  ),
  'TM-2027': entry(
    'metadata',
    'Nothing of the overlay {overlay} is applied: it extends {named}, and no document is called so.',
    'Correct its `extends`; left out, the overlay is for the document that is imported.',
  ),

  'TM-2101': entry(
    'metadata',
    'The WSDL declares no service, so there is no address and no operation to call.',
    'It may be the abstract part only: import the document that has <wsdl:service>. Nothing was imported.',
  ),
  'TM-2102': entry(
    'metadata',
    '{what} "{name}" refers to {kind} "{reference}", which no document declares.',
    '{nearest} Nothing was imported.',
  ),
  'TM-2103': entry(
    'metadata',
    'No service has an endpoint that Tolmach can call: {reasons}.',
    'Nothing was imported.',
  ),
  'TM-2104': entry(
    'metadata',
    '{what} lacks its attribute "{attribute}".',
    'The document is not valid; ask its owner. Nothing was imported.',
  ),
  'TM-2105': entry(
    'metadata',
    'The prefix of "{name}" is not bound to a namespace here.',
    'The document is not valid; ask its owner. Nothing was imported.',
  ),
  'TM-2110': entry(
    'metadata',
    'The port "{name}" is left out: {reason}.',
    'Its operations can be called through the other ports only.',
  ),
  'TM-2111': entry(
    'metadata',
    'The operation "{name}" is left out at {endpoint}: {reason}.',
    'The other operations are unaffected.',
  ),
  'TM-2112': entry(
    'metadata',
    '{what} is ignored: {reason}.',
    'What it declares has no effect in the client.',
  ),
  'TM-2113': entry(
    'metadata',
    'The policy asks for something that Tolmach does not do by itself: <{element}>.',
    "If calls are refused, ask the service's owner which login and headers it wants.",
  ),
  'TM-2114': entry(
    'metadata',
    'The metadata came from {source}, but says that endpoint "{name}" is at {published}, which looks like an internal name.',
    "If calls don't get through, give the real address with --url.",
  ),

  'TM-2115': entry(
    'metadata',
    'The policy wants {what}.',
    'Give it in the settings of the client, as a credential of the kind "{kind}".',
  ),
  'TM-2116': entry(
    'metadata',
    'The policy wants signed or encrypted messages (<{element}>), which Tolmach does not make.',
    "Calls will be refused, unless the service's owner offers an endpoint without.",
  ),
  'TM-2117': entry(
    'metadata',
    'The overload of "{name}" with the message {message} is called {given}.',
    'Nothing, unless you know it by the other name.',
  ),

  'TM-2118': entry(
    'metadata',
    'The port {name} offers by plain HTTP what other ports offer by SOAP; its operations are called {group}.…',
    'Prefer those of SOAP: their types say more, and their faults are told apart.',
  ),
  'TM-2119': entry(
    'metadata',
    'The binding "{name}" is declared for SOAP {declared}, and its operations for SOAP {read}: messages are sent as SOAP {read}.',
    "If they are refused, ask the service's owner for the version that it speaks.",
  ),
  'TM-2120': entry(
    'metadata',
    'The operation "{name}" is called {given}: "{other}" has the same name in the client.',
    'Nothing, unless you know it by the other name.',
  ),
  'TM-2121': entry(
    'metadata',
    'Messages are encoded by the rules of SOAP 1.1, by which any member of a record may be left out or nil: the types say what the schema says.',
    'Look whether a member is there before you use it, where the service leaves members out.',
  ),
  'TM-2122': entry(
    'metadata',
    'The {kind} "{reference}" is named without a prefix, which puts it into a namespace that declares none; {taken}, the only one of that name, is taken.',
    'Nothing, if that is meant. A prefix in the metadata says it surely.',
  ),

  'TM-2201': entry(
    'metadata',
    'The {kind} "{reference}" is not declared in any document.',
    '{nearest} Nothing was imported.',
  ),
  'TM-2202': entry(
    'metadata',
    'The {kind} "{name}" is declared twice; this second declaration is ignored.',
    'If the two differ, calls may follow the wrong one.',
  ),
  'TM-2203': entry(
    'metadata',
    '<{element}> is not understood and is ignored.',
    'What it declares has no effect in the client.',
  ),
  'TM-2204': entry(
    'metadata',
    'The attribute {attribute} of <{element}> is not understood and is ignored.',
    'What it declares has no effect in the client.',
  ),
  'TM-2205': entry(
    'metadata',
    'Choices inside each other here go more ways than can be told apart; their fields are shown as ones that may all be left out.',
    "Fill in those that belong together, as the service's documentation says.",
  ),
  'TM-2208': entry(
    'metadata',
    'The type "{name}" has texts among elements that must come in a certain order and number; these are not checked.',
    'Write the items of $items in the order that the service expects.',
  ),
  'TM-2211': entry(
    'metadata',
    "The pattern {pattern} can't be checked before sending.",
    'The service itself will refuse values that do not match.',
  ),
  'TM-2213': entry(
    'metadata',
    '{what} is not read yet: {reason}.',
    'What depends on it is carried as open content.',
  ),
  'TM-2214': entry(
    'metadata',
    'The identity constraint "{name}" (<{element}>) is not checked.',
    'The service itself may refuse what breaks it.',
  ),
  'TM-2216': entry(
    'metadata',
    'The type "{name}" extends itself, directly or through others.',
    'The document is not valid; ask its owner. Nothing was imported.',
  ),
  'TM-2217': entry(
    'metadata',
    'Documents nest elements more than {limit} deep.',
    'Nothing was imported.',
  ),
  'TM-2219': entry(
    'metadata',
    'The facet <{element} value="{value}"> of "{name}" is not checked before sending.',
    'The service itself will refuse values that break it.',
  ),
  'TM-2220': entry(
    'metadata',
    '<{element}> has {attribute}="{value}", which is no number.',
    'The document is not valid; ask its owner. Nothing was imported.',
  ),
  'TM-2221': entry(
    'metadata',
    '"{name}" is made of more than {limit} others, one inside another.',
    'No service needs that: the document is damaged or hostile; ask its owner. Nothing was imported.',
  ),
  'TM-2222': entry(
    'metadata',
    'The message "{message}" has two parts called "{name}".',
    'The document is not valid; ask its owner. Nothing was imported.',
  ),

  'TM-2301': entry(
    'metadata',
    'OpenAPI {version} is not known; versions 2.0, 3.0, 3.1 and 3.2 are.',
    "Ask the service's owner for one of those. Nothing was imported.",
  ),
  'TM-2302': entry(
    'metadata',
    'The reference {reference} leads nowhere{chain}. {nearest}',
    'What it stands for is taken as empty: a schema as any value. Correct it, or add what it names.',
  ),
  'TM-2303': entry(
    'metadata',
    'The references {chain} go in a circle and never reach anything.',
    'What they stand for is taken as empty: a schema as any value. Correct one of them.',
  ),
  'TM-2304': entry(
    'metadata',
    'The description declares no operation.',
    'It may be a part that other documents refer to: import the main one. Nothing was imported.',
  ),
  'TM-2306': entry(
    'metadata',
    '"{key}" is not understood and is ignored.',
    'What it declares has no effect in the client.',
  ),
  'TM-2307': entry(
    'metadata',
    'Another operation is called as "{id}" would be; this one is called {name}.',
    'Nothing, unless you know it by the other name.',
  ),
  'TM-2308': entry(
    'metadata',
    'Of several media types of an answer, {chosen} is asked for; {others} are left out.',
    'If another one is needed, ask for it with a header, and read the exchange itself.',
  ),
  'TM-2309': entry(
    'metadata',
    'The path {path} has "{name}", which no parameter declares; it is taken for a text.',
    'Nothing, if that is what it is.',
  ),
  'TM-2310': entry(
    'metadata',
    'The security scheme "{name}" ({type}) is not one that the client deals with by itself.',
    "Send what it wants with --header, or in the settings' headers.",
  ),

  'TM-2312': entry(
    'metadata',
    'A reference is meant for {pointer}, though it is written otherwise.',
    'Nothing, if that is what it means.',
  ),
  'TM-2313': entry(
    'metadata',
    'The type "{name}" is made of itself, without anything between; that part of it is taken as any value.',
    'The document says nothing that could be followed; ask its owner.',
  ),
  'TM-2314': entry(
    'metadata',
    'The values of this enumeration are no texts, though its type says so; they are taken as texts.',
    'Nothing, if the service means texts.',
  ),
  'TM-2315': entry(
    'metadata',
    '{what} is taken as {as}: {reason}.',
    'Nothing, unless the service says otherwise.',
  ),
  'TM-2316': entry(
    'metadata',
    '{what} gives {types} in types.ts; receiving it is up to your own server.',
    'Nothing, unless you want to be told by the service.',
  ),

  'TM-2317': entry(
    'metadata',
    'An example does not satisfy its own schema, and is left out: {place}{reason}.',
    'Samples are made without it.',
  ),
  'TM-2318': entry(
    'metadata',
    'The answer {status} declares no content: whatever comes is handed on as it is, with the type unknown.',
    'Nothing, if nothing comes. Else ask for a description of it, or look at what comes with `tolmach call`.',
  ),

  'TM-2319': entry(
    'metadata',
    "{what} is more than the platform's own `fetch` can send.",
    "In code on Node.js, give the client `fetch: nodeTransport()` of runtime/node/transport; `tolmach call` does so itself. Browsers can't call it.",
  ),
  'TM-2320': entry(
    'metadata',
    'The discriminator `{member}` has no value that stands for {which}: alternatives are told apart by what fits.',
    'Nothing, where what is sent and answered fits one of them only. Else ask for a description that names the value.',
  ),

  'TM-2321': entry(
    'metadata',
    'The headers of a failure are not decoded.',
    'In code they stand in `error.answer.headers` as they came; `tolmach call` shows them with `--traffic`.',
  ),

  'TM-2401': entry(
    'metadata',
    'This is {what}, which is not read yet.',
    '{remedy} Nothing was imported.',
  ),
  'TM-2402': entry(
    'metadata',
    '{what} refers to the type "{reference}", which no document declares.',
    '{nearest} Nothing was imported.',
  ),
  'TM-2403': entry(
    'metadata',
    'The metadata offers nothing to call: it has no entity set, no singleton and no function or action import.',
    'It may be a part that other documents refer to: import the $metadata of the service itself. Nothing was imported.',
  ),
  'TM-2404': entry(
    'metadata',
    '<{element}> is not understood and is ignored.',
    'What it declares has no effect in the client.',
  ),
  'TM-2405': entry(
    'metadata',
    'The attribute {attribute} is not understood and is ignored ({count}).',
    'What it declares has no effect in the client.',
  ),
  'TM-2406': entry(
    'metadata',
    'The annotation {term} has no effect in the client ({count}).',
    "What it says is the service's to enforce.",
  ),
  'TM-2407': entry('metadata', '{what} is left out: {reason}.', 'Everything else is unaffected.'),
  'TM-2408': entry(
    'metadata',
    '{what} is carried as {as}: {reason}.',
    "Write and read it as the service's documentation says.",
  ),
  'TM-2409': entry(
    'metadata',
    'The overload of "{name}" with {parameters} is called {given}.',
    'Nothing, unless you know it by the other name.',
  ),
  'TM-2410': entry(
    'metadata',
    '{what} lacks its attribute "{attribute}".',
    'The document is not valid; ask its owner. Nothing was imported.',
  ),
  'TM-2411': entry(
    'metadata',
    'The type "{name}" extends itself, directly or through others.',
    'The document is not valid; ask its owner. Nothing was imported.',
  ),
  'TM-2412': entry(
    'metadata',
    'Left out, because the service says that it does not offer them: {operations}.',
    "Nothing, if that is right; else ask the service's owner to correct its annotations.",
  ),
  'TM-2413': entry(
    'metadata',
    'The type definition "{name}" rests on another type definition, which OData does not allow.',
    'The document is not valid; ask its owner. Nothing was imported.',
  ),
  'TM-2414': entry(
    'metadata',
    '{what} names "{reference}", which is {kind} and has no properties.',
    'The document is not valid; ask its owner. Nothing was imported.',
  ),

  'TM-3001': entry(
    'input',
    'These files in {folder} were edited by hand: {files}.',
    'Move your changes elsewhere, or write over them with --overwrite. Nothing was written.',
  ),
  'TM-3002': entry(
    'input',
    'The folder {folder} has files that Tolmach did not write: {files}.',
    '{other}, or allow it with --overwrite (those files are kept). Nothing was written.',
  ),
  'TM-3003': entry(
    'input',
    'No operation is chosen: "only" names {only}, and none of that is in {contract}.',
    '{nearest}',
  ),
  'TM-3004': entry('input', 'The diagram of {contract} has no type "{name}".', '{nearest}'),
  'TM-3005': entry(
    'input',
    'There are {count} types to draw, more than a picture can show so that anybody reads it.',
    'Draw a part: {advice}.',
  ),
  'TM-3006': entry('input', '{contract} has no view "{name}".', '{nearest}'),
  'TM-3007': entry(
    'input',
    'The file {file} does not end in a format that Tolmach writes.',
    'Use {endings}.',
  ),
  'TM-3008': entry(
    'input',
    'The {what} "{name}" is called {given} in the client: {reason}.',
    'The name stays from now on. `class:` in tolmach.yaml names the class otherwise.',
  ),
  'TM-3009': entry(
    'input',
    'The class "{name}" of {contract} can\'t be called so: {reason}.',
    'Choose another name for `class:` in tolmach.yaml. Nothing was written.',
  ),
  'TM-3010': entry(
    'input',
    'The names kept for {contract} have "{name}", which nothing in a client can be called.',
    'Correct it in snapshots/{contract}/names.json, or take it out: a new name is made then. Nothing was written.',
  ),
  'TM-3011': entry(
    'input',
    '"{key}" of {contract} names {name}, which the service does not have any more; the rest goes on without it.',
    'Take it out of tolmach.yaml when nothing calls it. Should it come back, it gets its old name.',
  ),
  'TM-3012': entry(
    'input',
    'What is at {location} is no newer {contract}: it is a contract of {after}, and {contract} is one of {before}.',
    'Import it beside the other: `tolmach import {location} --as <name>`.',
  ),
  'TM-3013': entry(
    'input',
    'The project file was changed while {contract} was being read again. Nothing was written.',
    'Refresh it once more.',
  ),
  'TM-3014': entry(
    'input',
    'Not one operation of "{name}" as it was, from {from}, is in what was imported in its place: this is probably another service.',
    'Import it under another name with --as, and the first one again.',
  ),

  'TM-4001': entry(
    'fault',
    'The service refused the call: {reason}',
    'The service itself says so; the detail below, if any, is its own.',
  ),
  'TM-4002': entry(
    'unreachable',
    'No answer came from {address}: {reason}.',
    'Is the service running, and is the address right? Another one can be given with --url. The call did not reach a service.',
  ),
  'TM-4003': entry(
    'timeout',
    'No answer from {address} within {time}.',
    'The service may still be working on it. Allow more time with --timeout.',
  ),
  'TM-4004': entry(
    'login',
    '{reason}The service at {address} {wish} (HTTP {status}{schemes}).',
    'Give what it wants: a credential in tolmach.yaml, or --header "Authorization=Basic …".',
  ),
  'TM-4005': entry(
    'breach',
    'The answer is not what the contract promised: {reason}',
    "The fault is on the service's side, or the contract is out of date. See the answer itself with --unchecked-answer.",
  ),
  'TM-4006': entry(
    'input',
    'The endpoint "{endpoint}" does not offer {operation}.',
    'It is on offer at: {offered}.',
  ),
  'TM-4007': entry(
    'timeout',
    'The service accepted the call, and had not finished when the time to wait was over. It can be asked for at {address}.',
    'Wait longer with --wait, or ask at that address later: another call would begin anew.',
  ),

  'TM-9001': entry(
    'defect',
    'Tolmach itself failed: {reason}.',
    'This is a defect of ours. Please report it with the command you ran; --log-file <file> writes down the details.',
  ),
} as const satisfies Record<string, Message>

export interface Message {
  readonly kind: ProblemKind
  readonly text: string
  readonly advice: string
}

export type MessageCode = keyof typeof messages

function entry(kind: ProblemKind, text: string, advice: string): Message {
  return { kind, text, advice }
}
