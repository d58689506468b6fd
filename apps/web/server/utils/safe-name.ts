/** File name from an upload's own description: the last part of what the browser says, without anything a name cannot hold. */
export function safeName(given: string | null | undefined): string {
  const plain = (given ?? '')
    .split(/[/\\]/)
    .at(-1)!
    // eslint-disable-next-line no-control-regex -- control characters are exactly what must go
    .replace(/[\u0000-\u001f\u007f]/g, '_')
    .replace(/^\.+/, '_')
    .trim()
  const encoder = new TextEncoder()
  let name = plain || 'upload'
  // Room is left for a counter before the ending.
  while (encoder.encode(name).length > 240) name = [...name].slice(0, -1).join('')
  return name
}

/** Folders that an upload came from, made safe one by one: "" or "a/b". At most twelve deep. */
export function safeDirectory(given: string | null | undefined): string {
  return (given ?? '')
    .split('/')
    .filter(part => part.trim() !== '')
    .slice(0, 12)
    .map(safeName)
    .join('/')
}
