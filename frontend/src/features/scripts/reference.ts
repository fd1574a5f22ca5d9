/** What is read of an OpenAPI document; all of it is ours, so that little has to be looked for. */
export interface Shape {
  $ref?: string
  type?: string
  format?: string
  enum?: unknown[]
  const?: unknown
  anyOf?: Shape[]
  oneOf?: Shape[]
  items?: Shape
  prefixItems?: Shape[]
  properties?: Record<string, Shape>
  required?: string[]
  additionalProperties?: Shape | boolean
  default?: unknown
  minimum?: number
  maximum?: number
}
interface Content {
  content?: Record<string, { schema: Shape }>
}
interface Operation {
  tags: string[]
  summary: string
  description?: string
  parameters: { name: string; in: string; required: boolean; schema: Shape }[]
  requestBody?: Content
  responses: Record<string, Content>
}
export interface Reference {
  tags: { name: string; description: string }[]
  paths: Record<string, Record<string, Operation>>
  components: { schemas: Record<string, Shape> }
}
export interface Request {
  method: string
  path: string
  summary: string
  told: string
  parameters: { name: string; where: string; needed: boolean; shape: string }[]
  body: string
  reply: string
  /** Whether it only reads and needs nothing to be filled in. */
  plain: boolean
}
export interface Part {
  name: string
  told: string
  requests: Request[]
}

const DEEPEST = 4
const nameOf = (reference: string) => reference.slice(reference.lastIndexOf('/') + 1)

function simple(own: Shape): string {
  if (own.const !== undefined) return JSON.stringify(own.const)
  if (own.enum) return own.enum.map((value) => JSON.stringify(value)).join(' or ')
  if (own.format === 'date-time') return 'moment'
  if (own.format === 'date') return 'day'
  if (own.format === 'binary') return 'a file as it is'
  switch (own.type) {
    case 'string':
      return 'text'
    case 'integer':
      return 'whole number'
    case 'boolean':
      return 'true or false'
    case 'null':
      return 'null'
    default:
      return own.type ?? 'anything'
  }
}

/** A shape as one reads it: JSON, with what may stand at each place. */
export function written(
  own: Shape,
  schemas: Record<string, Shape>,
  indent = '',
  above: readonly string[] = [],
): string {
  const deeper = (inner: Shape, known = above) => written(inner, schemas, `${indent}  `, known)
  if (own.$ref) {
    const name = nameOf(own.$ref)
    const there = schemas[name]
    if (!there || above.includes(name) || above.length >= DEEPEST) return name
    return written(there, schemas, indent, [...above, name])
  }
  const some = own.anyOf ?? own.oneOf
  if (some) return some.map((one) => written(one, schemas, indent, above)).join(' or ')
  if (own.prefixItems) return `[${own.prefixItems.map((one) => deeper(one)).join(', ')}]`
  if (own.type === 'array')
    return `[${own.items ? written(own.items, schemas, indent, above) : ''}, …]`
  if (own.properties) {
    const rows = Object.entries(own.properties).map(([name, inner]) => {
      const begun = 'default' in inner ? ` = ${JSON.stringify(inner.default)}` : ''
      return `${indent}  ${name}: ${deeper(inner)}${begun}`
    })
    return `{\n${rows.join('\n')}\n${indent}}`
  }
  if (own.type === 'object') {
    const each = own.additionalProperties
    return each && each !== true ? `{ name: ${deeper(each)}, … }` : '{ … }'
  }
  return simple(own)
}

const contentOf = (own: Content | undefined) => Object.values(own?.content ?? {})[0]?.schema

function limits(own: Shape): string {
  const { minimum, maximum } = own.anyOf?.find((one) => one.type !== 'null') ?? own
  if (minimum === undefined || maximum === undefined) return ''
  return ` from ${minimum} to ${maximum}`
}

/** The requests of the application by part, as its document tells them. */
export function partsOf(document: Reference): Part[] {
  const { schemas } = document.components
  const told = (own: Shape | undefined) => (own ? written(own, schemas) : '')
  const all = Object.entries(document.paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, own]) => ({ path, method, own })),
  )
  return document.tags.map((tag) => ({
    name: tag.name,
    told: tag.description,
    requests: all
      .filter(({ own }) => own.tags.includes(tag.name))
      .map(({ path, method, own }) => ({
        method: method.toUpperCase(),
        path,
        summary: own.summary,
        told: own.description ?? '',
        parameters: own.parameters.map((parameter) => ({
          name: parameter.name,
          where: parameter.in === 'path' ? 'in the path' : 'behind ?',
          needed: parameter.required,
          shape:
            told(parameter.schema) +
            limits(parameter.schema) +
            (parameter.schema.default === undefined || parameter.schema.default === null
              ? ''
              : `, else ${JSON.stringify(parameter.schema.default)}`),
        })),
        body: told(contentOf(own.requestBody)),
        reply: told(contentOf(own.responses['200'])),
        plain: method === 'get' && own.parameters.every((parameter) => !parameter.required),
      })),
  }))
}

/** The requests that have all of some words in their path or in what they do. */
export function fitting(parts: readonly Part[], words: string): Part[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  return parts
    .map((part) => ({
      ...part,
      requests: part.requests.filter((own) => {
        const text = `${own.method} ${own.path} ${own.summary} ${part.name}`.toLowerCase()
        return wanted.every((word) => text.includes(word))
      }),
    }))
    .filter((part) => part.requests.length)
}

/** A request as one line of Python, for whom has a client. */
export function asPython(own: Request): string {
  const path = own.path.replace(/^\/api/, '')
  const body = own.body && own.body !== 'a file as it is' ? ', {…}' : ''
  return `client.ask("${own.method}", "${path}"${body})`
}
