import { containerFacts } from './spec/container.ts'
import { stemOf } from './spec/naming.ts'
import type { DeliverySpec } from './spec/schema.ts'
import type { SourceFacts } from './facts.ts'

/** What a file says of itself as a whole: a title, a date, who made it. Names are in lower case. */
export type Tags = Record<string, string>

/** What writers say of themselves, and of the file's build, not of what is in it. */
const technical =
  /^(encoder|encoded_by|encoding.*|software|major_brand|minor_version|compatible_brands|duration|language|handler_name|vendor_id|creation_app|itun.*|gapless_playback|location-.*|_statistics.*|number_of_.*|bps)$/
/** Names that every container can write: some part them from their values by "=". */
const plainName = /^[ -<>-~]+$/
/** The end of a name that says the language of what it tells (ISO 639-2). */
const ofLanguage = /-[a-z]{3}$/
/** More than this is no tag but a load. */
const most = { count: 100, letters: 4000 }
const dates = ['date', 'creation_time', 'year', 'date_recorded', 'date_released', 'com.apple.quicktime.creationdate']

/** The tags of a file among all that its reader tells. */
export function tagsAmong(told: Readonly<Record<string, string>>): Tags {
  const all = Object.entries(told).map(([name, value]) => [name.toLowerCase(), value.trim()] as const)
  const names = new Set(all.map(([name]) => name))
  const kept = all.filter(([name, value]) => {
    const plain = name.replace(ofLanguage, '')
    // MOV tells the same thing twice: by its name, and by its name and language.
    const isSaid = plain !== name && names.has(plain)
    const isTechnical = technical.test(name) || technical.test(plain)
    return plainName.test(name) && value !== '' && value.length <= most.letters && !isTechnical && !isSaid
  })
  return Object.fromEntries(kept.slice(0, most.count))
}

/**
 * The tags of a result: those of its source that the spec keeps, as far as the container has a place for them.
 * @param name of the source with its ending, for results whose source has no title; null where it has no name
 */
export function plannedTags({ tags = {} }: Pick<SourceFacts, 'tags'>, spec: DeliverySpec, name: string | null): Tags {
  const { tags: holds, tagsCalled = {} } = containerFacts(spec.container)
  if (!spec.tags || !holds) return {}
  const has = (key: string) => holds === 'any' || holds.includes(key)
  const rule = spec.tags
  const title = tags.title ?? (rule.title === 'or its name' && name !== null ? stemOf(name) : undefined)
  const wanted = Object.entries(tags).filter(([key]) =>
    key === 'title' ? false : dates.includes(key) ? rule.date : rule.others,
  )
  const held = wanted.filter(([key]) => has(key))
  const planned: Tags = Object.fromEntries(held.filter(([key]) => !tagsCalled[key]))
  for (const [key, value] of held) if (tagsCalled[key]) planned[tagsCalled[key]] ??= value
  if (rule.title && title && has('title')) planned.title = title
  // A container that has no place for the moment has one for the day.
  const moment = tags.creation_time ?? tags['com.apple.quicktime.creationdate']
  const day = /^\d{4}-\d\d-\d\d/.exec(moment ?? '')?.[0]
  if (rule.date && day && !has('creation_time') && !planned.date && has('date')) planned.date = day
  return planned
}

/** Pictures that every container with a cover takes. */
const coverCodecs = ['mjpeg', 'png']

/** The cover of a source that a result has, too; null for none. */
export function plannedCover({ cover }: Pick<SourceFacts, 'cover'>, spec: DeliverySpec): SourceFacts['cover'] | null {
  const holds = containerFacts(spec.container).covers && cover !== undefined && coverCodecs.includes(cover.codec)
  return spec.tags?.cover && holds ? cover : null
}

/** Bytes that a result has beyond what stretches of it have, which say nothing of themselves. Tags are too small to count. */
export const bytesBeside = (facts: Pick<SourceFacts, 'cover'>, spec: DeliverySpec): number =>
  plannedCover(facts, spec)?.bytes ?? 0

/** Whether a tag that was read back is the one that was planned. Places are rounded by some containers. */
export function sameTag(name: string, planned: string, found: string | undefined): boolean {
  if (found === undefined) return false
  if (name === 'creation_time') return Math.abs(Date.parse(found) - Date.parse(planned)) < 1000 || found === planned
  if (name !== 'location') return found === planned
  const numbers = (place: string) => (place.match(/[+-]\d+(\.\d+)?/g) ?? []).map(Number)
  const [wanted, got] = [numbers(planned), numbers(found)]
  return wanted.length > 0 && wanted.slice(0, 2).every((value, index) => Math.abs(value - (got[index] ?? 999)) < 0.001)
}
