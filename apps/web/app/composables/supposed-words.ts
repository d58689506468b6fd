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
  const { lanesMore, atAnyTime, materialHere, byDueTimes, first, without, due, rush, room } = supposed
  const count = Math.abs(lanesMore)
  const lanes = `${describeCount(count)} ${count === 1 ? 'lane' : 'lanes'}`
  const words = [
    lanesMore > 0 ? `${lanes} more, as quick as these` : lanesMore < 0 ? `${lanes} fewer` : '',
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
