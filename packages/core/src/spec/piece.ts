import { z } from 'zod'

/** How a source is cut in pieces that are results of their own: by its chapters, where its picture cuts, by the ranges that a trim keeps, or by length. */
export const SpecPieces = z.discriminatedUnion('at', [
  z.object({ at: z.literal('chapters') }),
  z.object({
    at: z.literal('cuts'),
    /** Of the source; what lies between two cuts and is shorter goes with the piece before. */
    leastSeconds: z.number().min(0).max(86_400),
  }),
  z.object({ at: z.literal('ranges') }),
  z.object({
    at: z.literal('length'),
    /** Of each result. */
    seconds: z.number().min(1).max(86_400),
  }),
])
export type SpecPieces = z.infer<typeof SpecPieces>

/** A piece of a source that is a result of its own. */
export const Piece = z.object({
  /** Counted from 1. */
  number: z.int().positive(),
  of: z.int().positive(),
  /** Of a chapter, where it has one. */
  title: z.string().nullable(),
})
export type Piece = z.infer<typeof Piece>

/** "Tape 12.mpg, piece 2 of 7"; the name alone of what is whole. */
export function describePiece(name: string, piece: Pick<Piece, 'number' | 'of'> | null | undefined): string {
  return piece ? `${name}, piece ${piece.number} of ${piece.of}` : name
}
