/** A stretch of a cue's text in one style. Lines are parted by "\n". */
export interface Run {
  text: string
  italic: boolean
  bold: boolean
  underline: boolean
}

type Style = Omit<Run, 'text'>
const plain: Style = { italic: false, bold: false, underline: false }
const styleOf: Record<string, keyof Style> = { i: 'italic', b: 'bold', u: 'underline' }

const decoder = new TextDecoder('utf-8')
const encoder = new TextEncoder()

/**
 * The text of a packet of a text codec, with what of its style every text codec can say: italic, bold and underlined. Colours, fonts and places go.
 * @param codec the library's name: subrip, text, webvtt, ass or mov_text
 * @returns no runs for a cue without text
 */
export function readCue(codec: string, data: Uint8Array): Run[] {
  switch (codec) {
    case 'mov_text':
      return readTimedText(data)
    case 'ass':
      return readScripted(decoder.decode(data))
    case 'webvtt':
      return readTagged(decoder.decode(data), unescapeMarks)
    case 'text':
      return runsOf([{ ...plain, text: tidy(decoder.decode(data)) }])
    default:
      // SubRip has no escapes; what overrides of another format were left in it are no text.
      return readTagged(decoder.decode(data).replaceAll(/\{\\[^{}]{0,200}\}/g, ''), text => text)
  }
}

/**
 * A packet of a text codec. What a codec cannot say of a style is left out.
 * @param codec subrip, webvtt or mov_text
 */
export function writeCue(codec: 'subrip' | 'webvtt' | 'mov_text', runs: readonly Run[]): Uint8Array {
  if (codec === 'mov_text') return writeTimedText(runs)
  return encoder.encode(
    runs
      .map(run => {
        const text = codec === 'webvtt' ? escapeMarks(run.text) : untangled(run.text)
        const tags = Object.keys(styleOf).filter(tag => run[styleOf[tag]!])
        return (
          tags.map(tag => `<${tag}>`).join('') +
          text +
          [...tags]
            .reverse()
            .map(tag => `</${tag}>`)
            .join('')
        )
      })
      .join('')
      // An empty line would end the cue in a file of either format.
      .replaceAll(/\n{2,}/g, '\n'),
  )
}

/** The words of a cue without their style. */
export function cueWords(runs: readonly Run[]): string {
  return runs.map(run => run.text).join('')
}

/** Tags of SubRip and WebVTT beside the three that are kept. Whatever else stands in such brackets is text: "<speaking Dutch>". */
const otherTags = new Set(['s', 'font', 'c', 'v', 'ruby', 'rt', 'lang'])

/** Text with "<i>", "<b>" and "<u>"; other tags go. "<" that begins no tag is text. */
function readTagged(source: string, unescape: (text: string) => string): Run[] {
  const runs: Run[] = []
  const depth: Record<keyof Style, number> = { italic: 0, bold: 0, underline: 0 }
  const add = (text: string) =>
    runs.push({
      text: unescape(text),
      italic: depth.italic > 0,
      bold: depth.bold > 0,
      underline: depth.underline > 0,
    })
  let at = 0
  // Names of tags and WebVTT's times inside a cue; attributes up to a length that no tag reaches.
  for (const tag of source.matchAll(/<(\/?)([a-zA-Z]+|[\d:.]{5,16})([ .\t][^<>]{0,300})?>/g)) {
    const name = tag[2]!.toLowerCase()
    const style = styleOf[name]
    if (!style && !otherTags.has(name) && !/^\d/.test(name)) continue
    add(source.slice(at, tag.index))
    at = tag.index + tag[0].length
    if (style) depth[style] = Math.max(0, depth[style] + (tag[1] === '/' ? -1 : 1))
  }
  add(source.slice(at))
  return runsOf(runs.map(run => ({ ...run, text: tidy(run.text) })))
}

/** A line of a script (ASS) as containers hold it: eight fields, then text with overrides in braces. */
function readScripted(source: string): Run[] {
  let at = 0
  for (let field = 0; field < 8; field++) {
    const comma = source.indexOf(',', at)
    if (comma < 0) return []
    at = comma + 1
  }
  const runs: Run[] = []
  let style = plain
  let isDrawing = false
  const add = (text: string) => {
    if (!isDrawing)
      runs.push({
        ...style,
        text: text
          .replaceAll(/\\[Nn]/g, '\n')
          .replaceAll('\\h', ' ')
          .replaceAll('\r', ''),
      })
  }
  const text = source.slice(at)
  let from = 0
  for (const block of text.matchAll(/\{([^{}]*)\}/g)) {
    add(text.slice(from, block.index))
    from = block.index + block[0].length
    for (const [, name, value] of block[1]!.matchAll(/\\(i|b|u|p|r)(\d*)(?=[\\)\s]|$)/g)) {
      if (name === 'r') style = plain
      else if (name === 'p') isDrawing = Number(value) > 0
      // A weight of 100 to 900 is bold from 600 on.
      else style = { ...style, [styleOf[name!]!]: Number(value) > 0 && (Number(value) < 100 || Number(value) >= 600) }
    }
  }
  add(text.slice(from))
  return runsOf(runs)
}

/** 3GPP timed text (3GPP TS 26.245): length, text in UTF-8 or UTF-16, then boxes, of which "styl" tells the style of stretches of characters. */
function readTimedText(data: Uint8Array): Run[] {
  if (data.length < 2) return []
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength)
  const length = Math.min(view.getUint16(0), data.length - 2)
  const bytes = data.subarray(2, 2 + length)
  const isWide = length >= 2 && (view.getUint16(2) === 0xfeff || view.getUint16(2) === 0xfffe)
  const text = isWide
    ? new TextDecoder(view.getUint16(2) === 0xfeff ? 'utf-16be' : 'utf-16le').decode(bytes)
    : decoder.decode(bytes)
  const characters = [...text]
  const styles: Style[] = characters.map(() => plain)
  for (let at = 2 + length; at + 8 <= data.length;) {
    const size = view.getUint32(at)
    if (size < 8 || at + size > data.length) break
    if (view.getUint32(at + 4) === 0x7374796c && size >= 10) {
      const count = Math.min(view.getUint16(at + 8), Math.floor((size - 10) / 12))
      for (let entry = 0; entry < count; entry++) {
        const place = at + 10 + entry * 12
        const face = view.getUint8(place + 6)
        const style = { bold: (face & 1) > 0, italic: (face & 2) > 0, underline: (face & 4) > 0 }
        for (let index = view.getUint16(place); index < Math.min(view.getUint16(place + 2), styles.length); index++)
          styles[index] = style
      }
    }
    at += size
  }
  return runsOf(characters.map((character, index) => ({ ...styles[index]!, text: tidy(character) })))
}

function writeTimedText(runs: readonly Run[]): Uint8Array {
  const text = encoder.encode(cueWords(runs)).subarray(0, 0xffff)
  const styled: { from: number; to: number; face: number }[] = []
  let at = 0
  for (const run of runs) {
    const to = at + [...run.text].length
    const face = (run.bold ? 1 : 0) | (run.italic ? 2 : 0) | (run.underline ? 4 : 0)
    if (face > 0) styled.push({ from: at, to, face })
    at = to
  }
  const packet = new Uint8Array(2 + text.length + (styled.length > 0 ? 10 + 12 * styled.length : 0))
  const view = new DataView(packet.buffer)
  view.setUint16(0, text.length)
  packet.set(text, 2)
  if (styled.length === 0) return packet
  const box = 2 + text.length
  view.setUint32(box, 10 + 12 * styled.length)
  view.setUint32(box + 4, 0x7374796c)
  view.setUint16(box + 8, styled.length)
  for (const [index, { from, to, face }] of styled.entries()) {
    const place = box + 10 + index * 12
    view.setUint16(place, from)
    view.setUint16(place + 2, to)
    // The first font of the track's head, at its size, in white.
    view.setUint16(place + 4, 1)
    view.setUint8(place + 6, face)
    view.setUint8(place + 7, timedTextHead.size)
    view.setUint32(place + 8, 0xffffffff)
  }
  return packet
}

const timedTextHead = { size: 18, font: 'Sans-Serif' }

/** The head of a track of timed text (3GPP TS 26.245, 5.16): at the foot of the picture, in the middle, white on nothing. */
export function timedTextTrackHead(): Uint8Array {
  const font = encoder.encode(timedTextHead.font)
  const head = new Uint8Array(30 + 8 + 2 + 3 + font.length)
  const view = new DataView(head.buffer)
  // Display flags 0, justified to the middle (1) and the foot (-1), a background of nothing, a box of the whole picture.
  view.setInt8(4, 1)
  view.setInt8(5, -1)
  view.setUint16(22, 1)
  view.setUint8(25, timedTextHead.size)
  view.setUint32(26, 0xffffffff)
  view.setUint32(30, 8 + 2 + 3 + font.length)
  view.setUint32(34, 0x66746162)
  view.setUint16(38, 1)
  view.setUint16(40, 1)
  view.setUint8(42, font.length)
  head.set(font, 43)
  return head
}

const marks: [RegExp, string][] = [
  [/&lt;/g, '<'],
  [/&gt;/g, '>'],
  [/&nbsp;/g, ' '],
  [/&(lrm|rlm);/g, ''],
  [/&amp;/g, '&'],
]
const unescapeMarks = (text: string) => marks.reduce((so, [mark, sign]) => so.replaceAll(mark, sign), text)
const escapeMarks = (text: string) => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')
/** SubRip has no escapes: a sign without width, between words that belong together, keeps text that looks like a tag or an override from being one. */
const untangled = (text: string) =>
  text.replaceAll(/<(?=\/?(?:i|b|u|s|font|c|v|ruby|rt|lang)\b)/gi, '<\u2060').replaceAll('{\\', '{\u2060\\')
const tidy = (text: string) => text.replaceAll(/\r\n?/g, '\n').replaceAll('\0', '')

/** Runs of one style joined, blanks at both ends taken off; none where nothing is left. */
function runsOf(runs: readonly Run[]): Run[] {
  const joined: Run[] = []
  for (const run of runs) {
    if (run.text === '') continue
    const last = joined.at(-1)
    if (last && (['italic', 'bold', 'underline'] as const).every(style => last[style] === run[style]))
      last.text += run.text
    else joined.push({ ...run })
  }
  const trim = (from: 'first' | 'last') => {
    for (;;) {
      const run = from === 'first' ? joined[0] : joined.at(-1)
      if (!run) return
      run.text = from === 'first' ? run.text.trimStart() : run.text.trimEnd()
      if (run.text !== '') return
      joined.splice(joined.indexOf(run), 1)
    }
  }
  trim('first')
  trim('last')
  return joined
}
