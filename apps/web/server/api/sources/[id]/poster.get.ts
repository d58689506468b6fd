import { posterOf, Problem } from '@hematine/database'
import { setResponseHeaders } from 'h3'
import { handle } from '../../../utils/handle'

export default handle('sourcePoster', async ({ application, parameters, event }) => {
  const poster = await posterOf(application.em(), parameters.id)
  if (!poster) throw new Problem(404, 'no-poster', 'There is no picture of this source.')
  setResponseHeaders(event, { 'content-type': 'image/webp', 'cache-control': 'private, max-age=3600' })
  return poster
})
