import { mkdir } from 'node:fs/promises'
import path from 'node:path'
import type { IncomingMessage, ServerResponse } from 'node:http'
import { bringIn, noteMarked, Problem, readVolume, type VolumeRow } from '@hematine/database'
import {
  flushToDisk,
  freeNameIn,
  markVolume,
  placeFile,
  resolveInside,
  spaceOfVolume,
  workDirectory,
} from '@hematine/media/volumes/volume-files'
import { FileStore } from '@tus/file-store'
import { Server } from '@tus/server'
import { useApplication } from './application'
import { arrivalsOfUpload } from './arrivals'
import { safeDirectory, safeName } from './safe-name'

/** Resumable uploads into source volumes by the tus protocol (version 1.0.0). One server for each volume, so that a finished upload only changes its name. */
const servers = new Map<number, Promise<Server>>()

async function serverFor(volumeId: number): Promise<Server> {
  const { em } = await useApplication()
  const volume = await readVolume(em(), volumeId)
  if (volume.role !== 'source')
    throw new Problem(
      409,
      'not-a-source-volume',
      `${volume.name} is a ${volume.role} volume. Upload into a source volume.`,
    )
  let server = servers.get(volumeId)
  if (!server) {
    server = makeServer(volume)
    servers.set(volumeId, server)
    server.catch(() => servers.delete(volumeId))
  }
  return server
}

async function makeServer(volume: VolumeRow): Promise<Server> {
  if (!volume.markedAt) {
    await markVolume(volume)
    const { em } = await useApplication()
    await noteMarked(em(), volume.id)
  }
  const directory = path.join(await workDirectory(volume), 'uploads')
  await mkdir(directory, { recursive: true })
  return new Server({
    path: `/api/volumes/${volume.id}/uploads`,
    relativeLocation: true,
    datastore: new FileStore({ directory }),
    async onUploadCreate(_request, upload) {
      const { freeBytes, problem } = await spaceOfVolume(volume, true)
      if (problem) throw { status_code: 409, body: problem }
      if (upload.size !== undefined && freeBytes !== null && upload.size > freeBytes)
        throw { status_code: 413, body: `There is no room for this file on ${volume.name}.` }
      return { metadata: upload.metadata }
    },
    async onUploadFinish(_request, upload) {
      const below = safeDirectory(upload.metadata?.directory)
      const name = await place(path.join(directory, upload.id), volume.path, below, safeName(upload.metadata?.filename))
      const { em, queue } = await useApplication()
      const orderId = Number(upload.metadata?.orderId)
      if (Number.isInteger(orderId) && orderId > 0)
        await bringIn(em(), queue, orderId, await arrivalsOfUpload(volume, name))
      return {}
    },
  })
}

/** Gives a finished upload its name, or the next free one like it; nothing is replaced. */
async function place(upload: string, root: string, below: string, name: string): Promise<string> {
  await flushToDisk(upload)
  const wanted = path.join(root, below)
  await mkdir(wanted, { recursive: true })
  // A link of that name might lead out of the volume.
  const directory = await resolveInside(root, below)
  for (;;) {
    const candidate = await freeNameIn(directory, name)
    if (await placeFile(upload, path.join(directory, candidate)))
      return below === '' ? candidate : `${below}/${candidate}`
  }
}

/** Answers a request of the tus protocol. @throws Problem */
export async function answerUpload(
  volumeId: number,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  await (await serverFor(volumeId)).handle(request, response)
}
