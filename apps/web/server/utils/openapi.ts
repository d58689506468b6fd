import { z } from 'zod'
import { createDocument, type ZodOpenApiOperationObject, type ZodOpenApiPathsObject } from 'zod-openapi'
import { api, ErrorBody, type Route } from '#shared/api'

const json = (schema: z.ZodType) => ({ content: { 'application/json': { schema } } })
const problem = { description: 'A problem, always in this shape.', ...json(ErrorBody.meta({ id: 'Error' })) }

function operation(name: string, route: Route): ZodOpenApiOperationObject {
  const answer = route.answer ? json(route.answer) : route.contentType ? { content: { [route.contentType]: {} } } : {}
  return {
    operationId: name,
    summary: route.summary,
    requestParams: {
      ...(route.parameters ? { path: route.parameters } : {}),
      ...(route.query ? { query: route.query } : {}),
    },
    ...(route.body ? { requestBody: { required: true, ...json(route.body) } } : {}),
    responses: { [`${route.status ?? 200}`]: { description: 'Done.', ...answer }, default: problem },
  }
}

const tus = (parameters: z.ZodObject): ZodOpenApiOperationObject => ({
  tags: ['uploads'],
  summary:
    'Resumable upload by the tus protocol, version 1.0.0; the metadata is filename, orderId and, for what lay in folders, directory ("a/b").',
  requestParams: { path: parameters },
  responses: { default: { description: 'As the protocol says.' } },
})

/** The OpenAPI 3.1 description of every route, made from the schemas that check the requests. */
export function openApiDocument() {
  const paths: ZodOpenApiPathsObject = {}
  for (const [name, route] of Object.entries(api) as [string, Route][])
    paths[route.path] = { ...paths[route.path], [route.method]: operation(name, route) }
  const upload = tus(z.object({ id: z.int(), upload: z.string() }))
  paths['/api/volumes/{id}/uploads'] = { post: tus(z.object({ id: z.int() })) }
  paths['/api/volumes/{id}/uploads/{upload}'] = { head: upload, patch: upload, delete: upload }
  return createDocument({
    openapi: '3.1.0',
    info: { title: 'Hematine', version: '0.1.0', description: 'Everything the interface does goes by these routes.' },
    paths,
  })
}
