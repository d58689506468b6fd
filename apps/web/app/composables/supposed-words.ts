import { describeCount, describeDuration, type Supposed } from '@hematine/core'
import { moment } from './times'
import type { Outlook } from './useOutlook'

/** Codes of orders, one after the other. */
export function orderCodes(ids: readonly number[], { orders }: Outlook): string {
  const codes = new Map(orders.map(({ id, code }) => [id, code]))
  return ids.map(id => codes.get(id) ?? 'an order').join(', ')
}

/** What is supposed, in words: "2 lanes more, SL-015 first". @param outlook names the orders, and tells today from other days */
export function supposedWords(supposed: Supposed, outlook: Outlook): string {
  const named = (ids: readonly number[]) => orderCodes(ids, outlook)
  const { lanesMore, deviceLanesMore, atAnyTime, materialHere, byDueTimes, first, without, due, rush, room } = supposed
  const lanes = (more: number, of: string) => {
    const count = Math.abs(more)
    const some = `${describeCount(count)} ${count === 1 ? 'lane' : 'lanes'}${of}`
    return more > 0 ? `${some} more, as quick as ${of ? 'those' : 'these'}` : more < 0 ? `${some} fewer` : ''
  }
  const words = [
    lanes(lanesMore, ''),
    lanes(deviceLanesMore, ' of graphics devices'),
    atAnyTime ? 'work at any time' : '',
    materialHere ? 'announced material here at once' : '',
    byDueTimes ? 'jobs by due times' : '',
    first.length > 0 ? `${named(first)} first` : '',
    without.length > 0 ? `without ${named(without)}` : '',
    ...due.map(
      ({ orderId, dueAt }) =>
        `${named([orderId])} ${dueAt === null ? 'not due' : `due ${moment(new Date(dueAt), new Date(outlook.at))}`}`,
    ),
    rush ? `rush work of ${describeDuration(rush.seconds)}` : '',
    room.length > 0 ? 'other room' : '',
  ]
    .filter(Boolean)
    .join(', ')
  return words.charAt(0).toUpperCase() + words.slice(1)
}
