import type { TrackRole } from '@hematine/core'
import {
  AV_DISPOSITION_COMMENT,
  AV_DISPOSITION_DEFAULT,
  AV_DISPOSITION_DUB,
  AV_DISPOSITION_FORCED,
  AV_DISPOSITION_HEARING_IMPAIRED,
  AV_DISPOSITION_ORIGINAL,
  AV_DISPOSITION_VISUAL_IMPAIRED,
} from 'node-av/constants'

const bits: readonly [TrackRole, number][] = [
  ['default', AV_DISPOSITION_DEFAULT],
  ['forced', AV_DISPOSITION_FORCED],
  ['commentary', AV_DISPOSITION_COMMENT],
  ['hearing impaired', AV_DISPOSITION_HEARING_IMPAIRED],
  ['visually impaired', AV_DISPOSITION_VISUAL_IMPAIRED],
  ['original', AV_DISPOSITION_ORIGINAL],
  ['dub', AV_DISPOSITION_DUB],
]

/** What the library's flags of a stream say that it is for; undefined where they say nothing. */
export function rolesOf(disposition: number | bigint): TrackRole[] | undefined {
  const roles = bits.filter(([, bit]) => (Number(disposition) & bit) !== 0).map(([role]) => role)
  return roles.length > 0 ? roles : undefined
}

/** The library's flags for roles. */
export function dispositionOf(roles: readonly TrackRole[]): number {
  return bits.reduce((sum, [role, bit]) => (roles.includes(role) ? sum | bit : sum), 0)
}
