import { until } from '@vueuse/core'
import { defineStore } from 'pinia'
import { ref } from 'vue'
import { Upload } from 'tus-js-client'
import { useNotices } from './notices'
import { useOrder } from './order'

export interface RunningUpload {
  id: number
  name: string
  bytes: number
  sent: number
  state: 'waiting' | 'sending' | 'stopped' | 'failed'
  reason: string | null
}

/** Uploads under way. They are resumable: after a reload or a lost line, choosing the same file goes on where it broke off. */
export const useUploads = defineStore('uploads', () => {
  const uploads = ref<RunningUpload[]>([])
  const running = new Map<number, Upload>()
  const order = useOrder()
  const notices = useNotices()
  let lastId = 0

  function change(id: number, part: Partial<RunningUpload>): void {
    uploads.value = uploads.value.map(upload => (upload.id === id ? { ...upload, ...part } : upload))
  }

  function forget(id: number): void {
    running.delete(id)
    uploads.value = uploads.value.filter(upload => upload.id !== id)
  }

  /** Uploads running at once; the others wait for their turn. */
  const atOnce = 3
  const waiting: { id: number; begin: () => Promise<void> | void }[] = []
  /** Those that have a place among the running ones. */
  const placed = new Set<number>()

  async function add(files: readonly { file: File; directory: string }[]): Promise<void> {
    // Files can be dropped before the page knows its volumes.
    await until(() => order.loaded).toBe(true)
    const volume = order.sourceVolumes[0]
    if (!volume || !order.order) {
      notices.problem('There is no source volume to upload into. Register one under Equipment.')
      return
    }
    const orderId = order.order.id
    for (const { file, directory } of files) {
      const id = ++lastId
      waiting.push({ id, begin: () => send(id, file, directory, volume.id, orderId) })
      uploads.value = [
        ...uploads.value,
        {
          id,
          name: directory === '' ? file.name : `${directory}/${file.name}`,
          bytes: file.size,
          sent: 0,
          state: 'waiting',
          reason: null,
        },
      ]
    }
    next()
  }

  function next(): void {
    while (placed.size < atOnce) {
      const turn = waiting.shift()
      if (!turn) return
      placed.add(turn.id)
      void turn.begin()
    }
  }

  /** Gives an upload's place to the next, however it ended. */
  function leave(id: number): void {
    if (placed.delete(id)) next()
  }

  async function send(id: number, file: File, directory: string, volumeId: number, orderId: number): Promise<void> {
    change(id, { state: 'sending' })
    const upload = new Upload(file, {
      endpoint: `/api/volumes/${volumeId}/uploads`,
      metadata: { filename: file.name, directory, orderId: String(orderId) },
      chunkSize: 16_000_000,
      retryDelays: [0, 1000, 3000, 10_000, 30_000],
      removeFingerprintOnSuccess: true,
      onProgress: sent => change(id, { sent }),
      onSuccess: () => {
        forget(id)
        notices.done(`${file.name} is uploaded and being read.`)
        leave(id)
      },
      onError: error => {
        change(id, { state: 'failed', reason: sentence(error) })
        leave(id)
      },
    })
    running.set(id, upload)
    const [earlier] = await upload.findPreviousUploads()
    // Cancelled or stopped meanwhile.
    if (!placed.has(id)) return
    if (earlier) upload.resumeFromPreviousUpload(earlier)
    upload.start()
  }

  function sentence(error: Error): string {
    const body =
      'originalResponse' in error
        ? (error as { originalResponse?: { getBody(): string } | null }).originalResponse?.getBody()
        : null
    return body && body.length < 300 && !body.startsWith('<')
      ? body.trim()
      : 'The upload broke off. Go on with it when the server answers again.'
  }

  async function stop(id: number): Promise<void> {
    await running.get(id)?.abort()
    change(id, { state: 'stopped' })
    leave(id)
  }

  function goOn(id: number): void {
    change(id, { state: 'waiting', reason: null })
    waiting.unshift({
      id,
      begin: () => {
        change(id, { state: 'sending' })
        running.get(id)?.start()
      },
    })
    next()
  }

  async function cancel(id: number): Promise<void> {
    const turn = waiting.findIndex(entry => entry.id === id)
    if (turn >= 0) waiting.splice(turn, 1)
    // The server is told to drop what it has; when it cannot be reached, the part stays hidden in the volume until a day has passed.
    await running
      .get(id)
      ?.abort(true)
      .catch(() => undefined)
    forget(id)
    leave(id)
  }

  return { uploads, add, stop, goOn, cancel }
})
