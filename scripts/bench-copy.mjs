import { runScript } from './lib/bootstrap.mjs'

// How fast a picture and its sound are copied untouched into another container, beside a plain copy of the file; see docs/measurements.md.
await runScript([], async () => {
  const [megabytes = '1000'] = process.argv.slice(2)
  if (!/^[1-9]\d{1,3}$/.test(megabytes)) {
    console.error('Give a whole number from 10 to 9999: the size of the file in MB.')
    process.exitCode = 2
    return
  }
  const { benchCopy } = await import('./bench/copy.ts')
  await benchCopy(Number(megabytes))
})
