import { z } from 'zod'
import { api, ErrorBody, type Route } from '#shared/api'

type Json = Record<string, unknown>

function schemaOf(schema: z.ZodType, io: 'input' | 'output'): Json {
  const { $schema: _, ...json } = z.toJSONSchema(schema, { io, unrepresentable: 'any' }) as Json
  return json
}

function parametersOf(schema: z.ZodObject | undefined, place: 'path' | 'query'): Json[] {
  if (!schema) return []
  const { properties = {}, required = [] } = schemaOf(schema, 'output') as {
    properties?: Record<string, Json>
    required?: string[]
  }
  return Object.entries(properties).map(([name, json]) => ({
    name,
    in: place,
    required: place === 'path' || (required.includes(name) && !('default' in json)),
    schema: json,
  }))
}

function operation(name: string, route: Route): Json {
  const answer = route.answer
    ? { 'application/json': { schema: schemaOf(route.answer, 'output') } }
    : route.contentType
      ? { [route.contentType]: {} }
      : undefined
  return {
    operationId: name,
    summary: route.summary,
    parameters: [...parametersOf(route.parameters, 'path'), ...parametersOf(route.query, 'query')],
    ...(route.body
      ? { requestBody: { required: true, content: { 'application/json': { schema: schemaOf(route.body, 'input') } } } }
      : {}),
    responses: {
      [route.status ?? 200]: { description: 'Done.', ...(answer ? { content: answer } : {}) },
      default: {
        description: 'A problem, always in this shape.',
        content: { 'application/json': { schema: { $ref: '#/components/schemas/Error' } } },
      },
    },
  }
}

/** The OpenAPI 3.1 description of every route, made from the schemas that check the requests. */
export function openApiDocument(): Json {
  const paths: Record<string, Json> = {}
  for (const [name, route] of Object.entries(api) as [string, Route][])
    paths[route.path] = { ...paths[route.path], [route.method]: operation(name, route) }
  const tus = {
    tags: ['uploads'],
    summary:
      'Resumable upload by the tus protocol, version 1.0.0; the metadata is filename, orderId and, for what lay in folders, directory ("a/b").',
    responses: { default: { description: 'As the protocol says.' } },
  }
  paths['/api/volumes/{id}/uploads'] = { parameters: parametersOf(z.object({ id: z.int() }), 'path'), post: tus }
  paths['/api/volumes/{id}/uploads/{upload}'] = {
    parameters: parametersOf(z.object({ id: z.int(), upload: z.string() }), 'path'),
    head: tus,
    patch: tus,
    delete: tus,
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Hematine', version: '0.1.0', description: 'Everything the interface does goes by these routes.' },
    paths,
    components: { schemas: { Error: schemaOf(ErrorBody, 'output') } },
  }
}
