import { stripPicture } from '@hematine/database'
import { setResponseHeaders } from 'h3'
import { handle } from '../../../../utils/handle'

export default handle('sourceStripPicture', async ({ application, parameters, event }) => {
  setResponseHeaders(event, { 'content-type': 'image/webp', 'cache-control': 'private, max-age=600' })
  return stripPicture(application.em(), parameters.id, parameters.index)
})
