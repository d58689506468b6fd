import type { Course, DiscTitle, JoinPart, NumberedSequence, Rational } from '@hematine/core'

/** A title of a disc: which bytes of which files are played in which order, and what the disc's tables say of them. */
export interface TitleInput extends Pick<
  DiscTitle,
  'aspect' | 'width' | 'height' | 'audio' | 'subtitles' | 'palette' | 'chapters'
> {
  kind: 'title'
  disc: string
  title: number
  angle: number
  /** In playing order; each lies within one cell. `at` and `bytes` count bytes of the file. */
  parts: { path: string; at: number; bytes: number }[]
  /** Byte of the title at which each cell begins, when it is played, and by how many ticks of 1/90000 s its times are moved. */
  cells: { at: number; seconds: number; shift: number }[]
  /** Length by the times in the picture data. */
  seconds: number
  /** Runs of bytes of a file that could not be read from the disc and were filled with noughts. */
  unreadable: { path: string; at: number; bytes: number }[]
}

/** What can be a part of a join. */
export type PlainInput = Exclude<MediaInput, { kind: 'join' }>

/** What every frame of a source is brought to, where its frames differ. */
export interface PictureShape {
  width: number
  height: number
  pixelFormat: string
}

/** Where a source's bytes are: one file, a numbered run of pictures in a directory, or a title of a disc. Paths are absolute. */
export type MediaInput =
  /** `courses`: of those streams whose times must be moved or made. `picture`: the shape that its facts tell. */
  | { kind: 'file'; path: string; courses?: readonly Course[] | undefined; picture?: PictureShape | undefined }
  | { kind: 'sequence'; directory: string; sequence: NumberedSequence; frameRate: Rational }
  | TitleInput
  /** Sources that are played one after the other. */
  | {
      kind: 'join'
      parts: (Pick<JoinPart, 'seconds' | 'picture' | 'sound' | 'courses'> & { input: PlainInput; name: string })[]
    }
