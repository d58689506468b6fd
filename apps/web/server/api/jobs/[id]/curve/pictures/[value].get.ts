import { access } from 'node:fs/promises'
import path from 'node:path'
import { Problem, readCurvePictures } from '@hematine/database'
import { curveDirectory, curvePicture } from '@hematine/media/volumes/volume-files'
import { handle } from '../../../../../utils/handle'
import { sendFile } from '../../../../../utils/send-file'

export default handle('curvePicture', async ({ application, parameters: { id, value }, event }) => {
  const { values, volume, ...curve } = await readCurvePictures(application.em(), id)
  if (value !== 'treated' && !values.includes(value))
    throw new Problem(404, 'no-picture', `The curve has pictures at ${values.join(', ')}, and of the treated frame.`)
  const file = path.join(await curveDirectory(volume, curve), curvePicture(value === 'treated' ? null : value))
  await access(file).catch(() => {
    throw new Problem(404, 'not-there', `The pictures of this curve were removed from ${volume.name}. Measure it anew.`)
  })
  return sendFile(event, file, { 'content-type': 'image/png', 'cache-control': 'private, max-age=3600' })
})
