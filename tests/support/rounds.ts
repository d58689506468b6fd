import { copyFile, mkdir } from 'node:fs/promises'
import path from 'node:path'
import { bringIn, createOrder, registerVolume } from '@hematine/database'
import type { useDatabase } from './database.ts'

/** An order with volumes and a source of its own, so that what one test leaves is nothing to the next. */
export interface Round {
  volumes: { source: string; delivery: string }
  orderId: number
  sourceId: number
  deliveryId: number
}

/** @param letter of the test file @param number of the round @param tape its source, of which it gets a copy */
export async function newRound(
  db: ReturnType<typeof useDatabase>,
  scratch: string,
  [letter, number]: [string, number],
  tape: string,
): Promise<Round> {
  const root = path.join(scratch, `round-${number}`)
  const volumes = { source: path.join(root, 'sources'), delivery: path.join(root, 'delivery') }
  for (const directory of Object.values(volumes)) await mkdir(directory, { recursive: true })
  await copyFile(tape, path.join(volumes.source, 'tape.mkv'))
  const order = await createOrder(db.em(), { code: `${letter}-${number}`, name: 'Round', dueAt: null })
  const source = await registerVolume(db.em(), { name: `Sources ${number}`, role: 'source', path: volumes.source })
  const delivery = await registerVolume(db.em(), {
    name: `Delivery ${number}`,
    role: 'delivery',
    path: volumes.delivery,
  })
  const { brought } = await bringIn(db.em(), db.queue, order.id, [
    { kind: 'file', volumeId: source.id, path: 'tape.mkv' },
  ])
  return { volumes, orderId: order.id, sourceId: brought[0]!.id, deliveryId: delivery.id }
}
