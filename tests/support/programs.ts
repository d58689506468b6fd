import { spawnSync } from 'node:child_process'

/** Runs a program of Debian's to its end. @returns what it wrote @throws Error with what it complained about */
export function runProgram(
  name: string,
  words: readonly string[],
  environment: Record<string, string> = {},
  input?: Buffer,
): Buffer {
  const { status, stdout, stderr, error } = spawnSync(name, words, {
    env: { ...process.env, ...environment },
    maxBuffer: 200_000_000,
    ...(input ? { input } : {}),
  })
  if (status !== 0) throw new Error(`${name}: ${error?.message ?? String(stderr)}`)
  return stdout
}
