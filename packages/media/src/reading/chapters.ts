import type { Chapter } from '@hematine/core'
import { AV_LOG_INFO } from 'node-av/constants'
import { Log, type FormatContext } from 'node-av/lib'

/** The library hands its messages over in turns of their own; they are there within few. */
const turnsAtMost = 50

/**
 * The chapters of an opened file. The binding has no call for them; the library's description of the file, which it writes to its log, has them all, whatever the container.
 * Files of one process are read one after the other, so that no other's description comes between.
 */
export async function readChapters(container: FormatContext): Promise<Chapter[]> {
  const level = Log.getLevel()
  const messages: string[] = []
  const end = `chapters of ${Math.random()} end here`
  Log.setLevel(AV_LOG_INFO)
  Log.setCallback((_level, message) => messages.push(message))
  try {
    container.dumpFormat(0, '', false)
    Log.log(AV_LOG_INFO, end)
    for (let turn = 0; turn < turnsAtMost && messages.at(-1) !== end; turn++)
      await new Promise(resolve => setTimeout(resolve, turn < 5 ? 0 : 10))
  } finally {
    Log.resetCallback()
    Log.setLevel(level)
  }
  return chaptersIn(messages)
}

/**
 * Chapters of a description, with times from the file's own 0 on.
 * @param messages as the library writes them: a line comes in pieces, and what ends it is a message without text
 */
export function chaptersIn(messages: readonly string[]): Chapter[] {
  const chapters: Chapter[] = []
  let current: Chapter | null = null
  let isTitle = false
  for (const message of messages) {
    const start = /^start (-?[\d.]+), $/.exec(message)
    if (/^ {4}Chapter #\d+:\d+: $/.test(message)) {
      current = { from: 0, title: null }
      chapters.push(current)
    } else if (/^ {2}(Stream|Program) /.test(message)) {
      current = null
    } else if (current && start) {
      current.from = Number(start[1])
    } else if (message === '' || /^ +\S+ *: $/.test(message)) {
      isTitle = /^ +title *: $/.test(message)
    } else if (current && isTitle && message.trim() !== '') {
      current.title = `${current.title ?? ''}${message}`
    }
  }
  return chapters
}
