import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, test, vi } from 'vitest'
import { useOrder } from '../app/stores/order.ts'
import { useUploads } from '../app/stores/uploads.ts'

/** Stands in for the upload client: one that goes on until it is told to end. */
const going = vi.hoisted(() => ({ started: [] as string[] }))
vi.mock('tus-js-client', () => ({
  Upload: class {
    constructor(private readonly file: { name: string }) {}
    findPreviousUploads = async () => []
    start() {
      going.started.push(this.file.name)
    }
    abort = async () => undefined
  },
}))

beforeEach(() => {
  going.started.length = 0
  setActivePinia(createPinia())
  const order = useOrder()
  order.orders = [{ id: 1, code: 'A', name: 'A', dueAt: null, lateWeight: 1, lotFineness: 'usual' }]
  order.volumes = [
    { id: 1, name: 'Sources', role: 'source', path: '/s', disk: null, freeBytes: 1, totalBytes: 1, problem: null },
  ]
  order.loaded = true
})
const files = (count: number) =>
  Array.from({ length: count }, (_, index) => ({ file: { name: `${index}.avi`, size: 10 } as File, directory: '' }))
const settled = () => new Promise(resolve => setTimeout(resolve, 0))

test('three go on at once; one that is cancelled or stopped gives its place to the next', async () => {
  const uploads = useUploads()
  await uploads.add(files(8))
  await settled()
  expect(going.started).toEqual(['0.avi', '1.avi', '2.avi'])
  for (const upload of uploads.uploads.slice(0, 3)) await uploads.cancel(upload.id)
  await settled()
  expect(going.started).toEqual(['0.avi', '1.avi', '2.avi', '3.avi', '4.avi', '5.avi'])
  await uploads.stop(uploads.uploads[0]!.id)
  await settled()
  expect(going.started.at(-1)).toBe('6.avi')
  expect(uploads.uploads.map(upload => upload.state)).toEqual(['stopped', 'sending', 'sending', 'sending', 'waiting'])
})

test('one that goes on waits for a place like any other, but first among them', async () => {
  const uploads = useUploads()
  await uploads.add(files(5))
  await settled()
  await uploads.stop(uploads.uploads[0]!.id)
  uploads.goOn(uploads.uploads[0]!.id)
  await settled()
  expect(uploads.uploads.map(upload => upload.state)).toEqual(['waiting', 'sending', 'sending', 'sending', 'waiting'])
  await uploads.cancel(uploads.uploads[1]!.id)
  await settled()
  expect(going.started).toEqual(['0.avi', '1.avi', '2.avi', '3.avi', '0.avi'])
})

test('one that is cancelled while it waits is never sent', async () => {
  const uploads = useUploads()
  await uploads.add(files(4))
  await uploads.cancel(uploads.uploads[3]!.id)
  await uploads.cancel(uploads.uploads[0]!.id)
  await settled()
  expect(going.started).not.toContain('3.avi')
})
