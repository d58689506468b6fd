import { defineEventHandler } from 'h3'
import { letThrough } from '../utils/entrance'

/** Everything but the pages' own files is behind the passphrase, where one is set: lists, files, pictures, uploads and live events. */
export default defineEventHandler(async event => {
  const address = event.path.split('?')[0]!
  if (address === '/api/session' || !(address === '/api' || address.startsWith('/api/'))) return
  await letThrough(event)
})
