/**
 * One range of bytes out of a Range header (RFC 9110, 14.1.2), both ends inclusive.
 * @returns null when the whole file is to be sent (no header, several ranges, or one that cannot be read), 'outside' when no byte of it exists
 */
export function parseRange(
  header: string | undefined,
  size: number,
): { start: number; end: number } | null | 'outside' {
  const match = /^bytes=(\d*)-(\d*)$/.exec(header ?? '')
  if (!match || (match[1] === '' && match[2] === '')) return null
  if (match[1] === '') {
    const last = Number(match[2])
    return last === 0 || size === 0 ? 'outside' : { start: Math.max(0, size - last), end: size - 1 }
  }
  const start = Number(match[1])
  const end = match[2] === '' ? size - 1 : Math.min(Number(match[2]), size - 1)
  if (match[2] !== '' && Number(match[2]) < start) return null
  return start >= size ? 'outside' : { start, end }
}
