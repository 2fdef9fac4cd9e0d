import { parse } from 'yaml'
import type { Pick } from './varied.js'

/** A description with one to three changes of its own, or none that makes sense. */
export function mutatedDocument(file: string, text: string, pick: Pick): string {
  const times = 1 + pick(3)
  if (file.endsWith('.yaml')) return mutatedDescription(text, pick, times)
  let changed = text
  for (let time = 0; time < times; time += 1)
    changed = file.endsWith('.wsdl') ? mutatedSchema(changed, pick) : mutatedModel(changed, pick)
  return changed
}

type Json = Record<string, unknown>

const isObject = (value: unknown): value is Json =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

/** JSON is YAML, so that what comes of it is a description still. */
function mutatedDescription(text: string, pick: Pick, times: number): string {
  const document = parse(text) as Json
  for (let time = 0; time < times; time += 1) {
    const places = objectsIn(document)
    const place = places[pick(places.length)]
    if (place !== undefined) mutateObject(place, pick, time)
  }
  return JSON.stringify(document, null, 1)
}

/** Schemas that have something to change, and lists of parameters. */
function objectsIn(value: unknown): Json[] {
  if (Array.isArray(value)) return value.flatMap(objectsIn)
  if (!isObject(value)) return []
  const isPlace =
    'properties' in value ||
    'enum' in value ||
    'parameters' in value ||
    typeof value['type'] === 'string'
  // What tells kinds apart is a text.
  const inner = Object.entries(value).filter(([name]) => name !== 'kind')
  return [...(isPlace ? [value] : []), ...inner.flatMap(([, each]) => objectsIn(each))]
}

const types: readonly Json[] = [
  { type: 'string' },
  { type: 'string', format: 'date' },
  { type: 'integer', format: 'int32' },
  { type: 'integer', format: 'int64' },
  { type: 'number' },
  { type: 'boolean' },
  { type: 'array', items: { type: 'string' } },
]

function mutateObject(place: Json, pick: Pick, time: number): void {
  const { properties, parameters } = place
  if (Array.isArray(parameters)) mutateParameters(parameters as Json[], pick)
  else if (isObject(properties)) mutateProperties(place, properties, pick, time)
  else if (Array.isArray(place['enum'])) {
    const values = place['enum'] as string[]
    if (pick(2) === 0 && values.length > 1) values.splice(pick(values.length), 1)
    else values.push(`more${String(time)}`)
  } else if (place['type'] === 'string' && place['format'] === undefined && pick(2) === 0)
    place['maxLength'] = 2 + pick(30)
  else if (place['type'] === 'integer' && pick(2) === 0) place['maximum'] = 5 + pick(200)
  else if (place['type'] !== 'object' && place['in'] === undefined && !('discriminator' in place)) {
    for (const name of Object.keys(place)) Reflect.deleteProperty(place, name)
    Object.assign(place, structuredClone(types[pick(types.length)]))
  }
}

function mutateParameters(parameters: Json[], pick: Pick): void {
  const at = pick(parameters.length)
  const one = parameters[at]
  if (one === undefined || one['in'] === 'path') return
  if (pick(3) === 0) parameters.splice(at, 1)
  else if (pick(2) === 0) one['required'] = one['required'] !== true
  else
    parameters.push({
      name: 'X-More',
      in: 'header',
      required: pick(2) === 0,
      schema: { type: 'string' },
    })
}

function mutateProperties(place: Json, properties: Json, pick: Pick, time: number): void {
  const names = Object.keys(properties).filter((name) => name !== 'kind')
  const name = names[pick(names.length)] ?? 'none'
  const required = new Set((place['required'] ?? []) as string[])
  switch (pick(5)) {
    case 0:
      Reflect.deleteProperty(properties, name)
      required.delete(name)
      break
    case 1:
      properties[`more${String(time)}`] = structuredClone(types[pick(types.length)])
      if (pick(2) === 0) required.add(`more${String(time)}`)
      break
    case 2:
      if (required.has(name)) required.delete(name)
      else if (name in properties) required.add(name)
      break
    case 3:
      if (name in properties) properties[name] = structuredClone(types[pick(types.length)])
      break
    default: {
      const schema = properties[name]
      if (isObject(schema) && typeof schema['type'] === 'string' && !('enum' in schema))
        schema['type'] = [schema['type'], 'null']
    }
  }
  place['required'] = [...required]
}

const simpleTypes = ['string', 'int', 'long', 'decimal', 'date', 'dateTime', 'boolean', 'token']

function mutatedSchema(text: string, pick: Pick): string {
  const sites = [
    ...text.matchAll(
      /<x:element name="\w+" type="[\w:]+"[^>]*\/>|<x:enumeration value="\w+"\/>|<x:attribute [^>]*\/>/g,
    ),
  ].filter(([found]) => !found.includes('"Desk"'))
  const site = sites[pick(sites.length)]
  if (site === undefined) return text
  const [found] = site
  return (
    text.slice(0, site.index) + mutatedElement(found, pick) + text.slice(site.index + found.length)
  )
}

function mutatedElement(found: string, pick: Pick): string {
  const without = (attribute: string): string =>
    found.replace(new RegExp(` ${attribute}="\\w+"`), '')
  if (found.includes('enumeration'))
    return pick(2) === 0 ? `${found}<x:enumeration value="more${String(pick(1000))}"/>` : ''
  if (found.includes('x:attribute'))
    return found.includes('use=') ? without('use') : found.replace('/>', ' use="required"/>')
  switch (pick(6)) {
    case 0:
      return ''
    case 1:
      return found.includes('minOccurs')
        ? without('minOccurs')
        : found.replace('/>', ' minOccurs="0"/>')
    case 2:
      return found.includes('maxOccurs')
        ? without('maxOccurs')
        : found.replace('/>', ' maxOccurs="unbounded"/>')
    case 3:
      return found.includes('nillable')
        ? without('nillable')
        : found.replace('/>', ' nillable="true"/>')
    case 4:
      return found.replace(
        /type="[\w:]+"/,
        `type="x:${simpleTypes[pick(simpleTypes.length)] ?? ''}"`,
      )
    default:
      return `${found}<x:element name="More${String(pick(1000))}" type="x:string"${pick(2) === 0 ? '' : ' minOccurs="0"'}/>`
  }
}

const edmTypes = ['String', 'Int32', 'Int64', 'Double', 'Boolean', 'Date', 'DateTimeOffset', 'Guid']

function mutatedModel(text: string, pick: Pick): string {
  const sites = [...text.matchAll(/<(?:Property|Member|Parameter|ReturnType) [^>]*\/>/g)].filter(
    ([found]) => !/Name="(?:Number|Id|booking)"/.test(found),
  )
  const site = sites[pick(sites.length)]
  if (site === undefined) return text
  const [found] = site
  return (
    text.slice(0, site.index) + mutatedProperty(found, pick) + text.slice(site.index + found.length)
  )
}

function mutatedProperty(found: string, pick: Pick): string {
  const nullable = found.includes('Nullable')
    ? found.replace(' Nullable="false"', '')
    : found.replace('/>', ' Nullable="false"/>')
  if (found.startsWith('<Member'))
    return pick(2) === 0
      ? ''
      : `${found}<Member Name="More${String(pick(1000))}" Value="${String(10 + pick(1000))}"/>`
  const typed = found
    .replace(/Type="[\w.()]+"/, `Type="Edm.${edmTypes[pick(edmTypes.length)] ?? ''}"`)
    .replace(/ (?:MaxLength|Scale)="\d+"/g, '')
  if (found.startsWith('<ReturnType')) return pick(2) === 0 ? nullable : typed
  if (found.startsWith('<Parameter')) return [nullable, typed, ''][pick(3)] ?? ''
  switch (pick(5)) {
    case 0:
      return ''
    case 1:
      return typed
    case 2:
      return `${found}<Property Name="More${String(pick(1000))}" Type="Edm.String"${pick(2) === 0 ? '' : ' Nullable="false"'}/>`
    case 3:
      return found.includes('MaxLength')
        ? found.replace(/MaxLength="\d+"/, `MaxLength="${String(3 + pick(30))}"`)
        : nullable
    default:
      return nullable
  }
}
