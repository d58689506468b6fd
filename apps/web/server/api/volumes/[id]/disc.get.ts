import { titlePath } from '@hematine/core'
import { readVolume, sourceNumbersByPath } from '@hematine/database'
import { onDisc } from '@hematine/media/volumes/source-input'
import { handle } from '../../../utils/handle'

export default handle('readDisc', async ({ application, parameters, query: { path, orderId } }) => {
  const em = application.em()
  const volume = await readVolume(em, parameters.id)
  const disc = await onDisc(volume.path, path, opened => opened.describe())
  const sources = orderId === undefined ? new Map<string, number>() : await sourceNumbersByPath(em, orderId, volume.id)
  const known = disc.titles.flatMap(({ number }) => {
    const sourceId = sources.get(titlePath({ path, title: number, angle: 1 }))
    return sourceId === undefined ? [] : [{ title: number, sourceId }]
  })
  return { ...disc, path, known }
})
