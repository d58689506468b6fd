import { describeSequence } from '@hematine/core'
import { readVolume, sourceNumbersByPath } from '@hematine/database'
import { listDirectory } from '@hematine/media/volumes/volume-files'
import { handle } from '../../../utils/handle'

export default handle('listDirectory', async ({ application, parameters, query: { path, orderId } }) => {
  const em = application.em()
  const volume = await readVolume(em, parameters.id)
  const listing = await listDirectory(volume.path, path)
  const known = orderId === undefined ? new Map<string, number>() : await sourceNumbersByPath(em, orderId, volume.id)
  const inside = (name: string) => (path === '' ? name : `${path}/${name}`)
  const item = (kind: 'file' | 'sequence' | 'disc', name: string) => ({
    kind,
    name,
    path: inside(name),
    sourceId: known.get(inside(name)) ?? null,
  })
  return {
    path,
    directories: listing.directories.map(name => ({ name, path: inside(name) })),
    items: [
      ...listing.discs.map(disc => ({ ...item('disc', disc.name), bytes: disc.bytes, sequence: null })),
      ...listing.sequences.map(sequence => ({
        ...item('sequence', describeSequence(sequence)),
        bytes: null,
        sequence,
      })),
      ...listing.files.map(file => ({ ...item('file', file.name), bytes: file.bytes, sequence: null })),
    ],
    refused: listing.refused,
  }
})
