import parseRanges from 'range-parser'

/**
 * The range of bytes that a Range header (RFC 9110, 14.1.2) asks for, both ends inclusive.
 * @returns null when the whole file is to be sent (no header, several ranges, or one that cannot be read), 'outside' when no byte of it exists
 */
export function parseRange(
  header: string | undefined,
  size: number,
): { start: number; end: number } | null | 'outside' {
  if (header === undefined) return null
  const ranges = parseRanges(size, header)
  if (ranges === -1) return 'outside'
  const [range] = ranges === -2 || ranges.type !== 'bytes' || ranges.length !== 1 ? [] : ranges
  return range ?? null
}
