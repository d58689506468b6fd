import { existsSync } from 'node:fs'
import { runScript } from './lib/bootstrap.mjs'

// How quickly a thousand files come in, and how smoothly ten thousand rows scroll; with a folder, how quickly its first fifty files are there.
await runScript(['postgresql', 'chromium'], async () => {
  const [folder] = process.argv.slice(2)
  if (folder === undefined) {
    const { benchIntake } = await import('./bench/intake.ts')
    await benchIntake()
  } else if (existsSync(folder)) {
    const { benchFirstFiles } = await import('./bench/first-files.ts')
    await benchFirstFiles(folder)
  } else {
    console.error(`There is no folder ${folder}.`)
    process.exitCode = 2
  }
})
