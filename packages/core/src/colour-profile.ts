/** Where things stand in a profile (ICC.1:2022, 7.2): the kind of its colours, and the table of its tags behind the head. */
const [colourSpaceAt, tagCountAt, tagsAt, tagBytes] = [16, 128, 132, 12]

const text = (bytes: Uint8Array, from: number, to: number) => String.fromCharCode(...bytes.subarray(from, to))
const viewOf = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)

/** Whether a profile is of red, green and blue: one of inks or greys says nothing of these. */
export function isProfileOfRgb(profile: Uint8Array): boolean {
  return text(profile, colourSpaceAt, colourSpaceAt + 4) === 'RGB '
}

/** The name that a profile gives itself (its tag "desc", as text of version 2 or 4); "a profile" where it gives none that can be read. */
export function profileName(profile: Uint8Array): string {
  const unnamed = 'a profile'
  if (profile.length < tagsAt) return unnamed
  const view = viewOf(profile)
  const count = Math.min(view.getUint32(tagCountAt), Math.floor((profile.length - tagsAt) / tagBytes))
  for (let index = 0; index < count; index++) {
    const at = tagsAt + index * tagBytes
    if (text(profile, at, at + 4) !== 'desc') continue
    const [from, size] = [view.getUint32(at + 4), view.getUint32(at + 8)]
    if (from + size > profile.length || size < 28) return unnamed
    return described(profile.subarray(from, from + size)) || unnamed
  }
  return unnamed
}

function described(tag: Uint8Array): string {
  const view = viewOf(tag)
  const kind = text(tag, 0, 4)
  // textDescriptionType of version 2: a count, then ASCII that ends with a nought.
  if (kind === 'desc') return text(tag, 12, Math.min(tag.length, 12 + view.getUint32(8))).replace(/\0.*$/s, '')
  if (kind !== 'mluc') return ''
  // multiLocalizedUnicodeType: the first of its records, in UTF-16.
  const [bytes, from] = [view.getUint32(20), view.getUint32(24)]
  if (from + bytes > tag.length) return ''
  return new TextDecoder('utf-16be').decode(tag.subarray(from, from + bytes)).replace(/\0.*$/s, '')
}
