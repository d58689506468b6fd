import { readdirSync, readFileSync } from 'node:fs'
import path from 'node:path'

/** Numbers of the processes that a process started and whose command line holds a text. */
export function childrenOf(parent: number, text: string): number[] {
  return readdirSync('/proc')
    .filter(name => /^\d+$/.test(name))
    .map(Number)
    .filter(pid => {
      try {
        const [, of] = /^\d+ \(.*\) \S (\d+)/s.exec(readFileSync(path.join('/proc', String(pid), 'stat'), 'utf8')) ?? []
        return Number(of) === parent && readFileSync(path.join('/proc', String(pid), 'cmdline'), 'utf8').includes(text)
      } catch {
        // It ended while it was looked at.
        return false
      }
    })
}
