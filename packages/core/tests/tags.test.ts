import { describe, expect, test } from 'vitest'
import {
  builtInSpecs,
  plannedCover,
  plannedTags,
  sameTag,
  specProblems,
  tagsAmong,
  type DeliverySpec,
} from '../src/index.ts'

const specIn = (container: string, tags: DeliverySpec['tags']) =>
  ({ ...builtInSpecs.find(spec => spec.container === container)!, tags }) as DeliverySpec
const all = { title: 'as the source', date: true, others: true } as const
const tags = {
  title: 'Lamp room 3',
  creation_time: '1987-05-04T10:11:12.000000Z',
  artist: 'Skerry Lights',
  location: '+57.1-002.1/',
  'keeper.shift': 'night',
}

describe('tags of a file', () => {
  test('are what it says of what is in it, not of who wrote it or how it is built', () => {
    expect(
      tagsAmong({
        TITLE: ' Lamp room 3 ',
        ENCODER: 'a writer',
        major_brand: 'isom',
        compatible_brands: 'isomiso2',
        comment: '',
        'a=b': 'no name',
        'location-eng': '+57.1-002.1/',
        ARTIST: 'Skerry Lights',
        lyrics: 'x'.repeat(5000),
      }),
    ).toEqual({ title: 'Lamp room 3', artist: 'Skerry Lights' })
  })

  test('are not said a second time with their language, as MOV does, nor with it of the writer', () => {
    expect(
      tagsAmong({
        title: 'Lamp room 3',
        'title-eng': 'Lamp room 3',
        'encoder-eng': 'a writer',
        'comment-dut': 'helder',
      }),
    ).toEqual({ title: 'Lamp room 3', 'comment-dut': 'helder' })
  })
})

describe('tags of a result', () => {
  test('are none without a rule, and none of a container without a place for them', () => {
    expect(plannedTags({ tags }, specIn('mkv', undefined), 'tape.mkv')).toEqual({})
    expect(plannedTags({ tags }, specIn('mpg', all), 'tape.mkv')).toEqual({})
    expect(specProblems(specIn('mpg', all))).toEqual([
      'MPEG program stream has no place for a title or other tags here: leave them out.',
    ])
  })

  test('are those that the rule names', () => {
    expect(plannedTags({ tags }, specIn('mkv', all), 'tape.mkv')).toEqual(tags)
    expect(plannedTags({ tags }, specIn('mkv', { title: 'as the source' }), 'tape.mkv')).toEqual({
      title: 'Lamp room 3',
    })
    expect(plannedTags({ tags }, specIn('mkv', { date: true }), 'tape.mkv')).toEqual({
      creation_time: tags.creation_time,
    })
  })

  test('leave out what a container has no place for; a moment becomes the day where only that has one', () => {
    expect(plannedTags({ tags }, specIn('mp4', all), 'tape.mkv')).toEqual({
      title: tags.title,
      creation_time: tags.creation_time,
      artist: tags.artist,
      location: tags.location,
    })
    expect(plannedTags({ tags }, specIn('wav', all), 'tape.mkv')).toEqual({
      title: tags.title,
      artist: tags.artist,
      date: '1987-05-04',
    })
  })

  test('that are one in a container are one: what has no other place goes where there is room', () => {
    const both = { comment: 'Night shift', description: 'The lamp is lit' }
    expect(plannedTags({ tags: both }, specIn('flac', all), 'tape.mkv')).toEqual({ comment: 'Night shift' })
    expect(plannedTags({ tags: { description: 'The lamp is lit' } }, specIn('flac', all), 'tape.mkv')).toEqual({
      comment: 'The lamp is lit',
    })
    expect(plannedTags({ tags: both }, specIn('mkv', all), 'tape.mkv')).toEqual(both)
  })

  test('call it by the name of a source without a title, where the rule says so', () => {
    const named = specIn('mp4', { title: 'or its name' })
    expect(plannedTags({ tags }, named, 'Tape 17.avi')).toEqual({ title: 'Lamp room 3' })
    expect(plannedTags({}, named, 'Tape 17.avi')).toEqual({ title: 'Tape 17' })
    // A sequence is called after its files without their numbers, as its results are.
    expect(plannedTags({}, named, 'approach.[0001-0250].png')).toEqual({ title: 'approach' })
    expect(plannedTags({}, specIn('mp4', all), 'Tape 17.avi')).toEqual({})
  })
})

test('a cover goes where a container carries one', () => {
  const cover = { streamIndex: 1, codec: 'mjpeg', width: 60, height: 40, bytes: 900 }
  expect(plannedCover({ cover }, specIn('mkv', { cover: true }))).toEqual(cover)
  expect(plannedCover({ cover }, specIn('mkv', all))).toBeNull()
  expect(plannedCover({ cover }, specIn('wav', { cover: true }))).toBeNull()
  expect(specProblems(specIn('wav', { cover: true }))).toEqual(['WAV carries no cover here: leave it out.'])
})

test('a tag that was read back is the one that was planned, but for how places and moments are written', () => {
  expect(sameTag('title', 'a', 'a')).toBe(true)
  expect(sameTag('title', 'a', 'b')).toBe(false)
  expect(sameTag('title', 'a', undefined)).toBe(false)
  expect(sameTag('location', '+57.1-002.1/', '+57.1000-002.1000/')).toBe(true)
  expect(sameTag('location', '+57.1-002.1/', '+57.2000-002.1000/')).toBe(false)
  expect(sameTag('creation_time', '1987-05-04T10:11:12Z', '1987-05-04T10:11:12.000000Z')).toBe(true)
  expect(sameTag('creation_time', '1987-05-04T10:11:12Z', '1987-05-04T10:12:12.000000Z')).toBe(false)
})
