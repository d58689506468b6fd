// `npm test`: sets itself up, then format, lint, types, unit and integration tests, browser tests and short campaigns, two things at a time. Ends with
// "N passed, N failed".
import { spawn } from 'node:child_process'
import { existsSync, readFileSync, rmSync } from 'node:fs'
import path from 'node:path'
import { createInterface } from 'node:readline'
import { projectDirectory, runScript, temporaryDirectory } from './lib/bootstrap.mjs'
import { summaryOf } from './lib/test-reports.mjs'

await runScript(['postgresql', 'chromium', 'dvdauthor', 'genisoimage', 'libvulkan1'], async () => {
  const directory = temporaryDirectory('hematine-test-run-')
  const reports = path.join(projectDirectory, '.hematine', 'test')
  const material = path.join(directory, 'material')
  const sum = { passed: 0, failed: 0 }
  const count = (passed, failed) => {
    sum.passed += passed
    sum.failed += failed
  }
  const run = async (name, words) => {
    console.log(`== ${name}`)
    const begun = Date.now()
    const child = spawn(process.execPath, words, {
      cwd: projectDirectory,
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, TEST_MATERIAL: material },
    })
    // Lines of two runs come between each other; each says whose it is.
    for (const stream of [child.stdout, child.stderr])
      createInterface(stream).on('line', line => console.log(`${name} | ${line}`))
    const status = await new Promise(resolve => child.on('close', resolve))
    console.log(`== ${name}: ${status === 0 ? 'passed' : 'failed'} in ${((Date.now() - begun) / 1000).toFixed(0)} s`)
    return status === 0
  }
  /** Runs that count as one test each, in rows; as many rows at a time as a small machine has cores. */
  const twoAtATime = async rows => {
    const left = [...rows]
    const take = async () => {
      for (let row = left.shift(); row; row = left.shift())
        for (const [name, words, counted = passed => count(passed ? 1 : 0, passed ? 0 : 1)] of row)
          counted(await run(name, words))
    }
    await Promise.all([take(), take()])
  }
  const report = name => {
    const file = path.join(reports, name)
    return existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : null
  }
  const bin = name => path.join(projectDirectory, 'node_modules', name)

  try {
    rmSync(reports, { recursive: true, force: true })
    await twoAtATime([
      [
        ['types', ['scripts/typecheck.mjs']],
        ['build', ['scripts/build.mjs']],
      ],
      [
        ['demo material', ['scripts/draw.mjs']],
        ['format', [bin('prettier/bin/prettier.cjs'), '--check', '--log-level', 'warn', '.']],
        ['lint', [bin('eslint/bin/eslint.js'), '.', '--max-warnings', '0']],
      ],
    ])
    const unitPassed = await run('unit and integration tests', [bin('vitest/vitest.mjs'), 'run'])
    const unit = report('vitest.json')
    // A run that broke off outside any test has failed too, whatever its tests say.
    count(unit?.numPassedTests ?? 0, Math.max(unit?.numFailedTests ?? 0, unitPassed ? 0 : 1))
    const browserTests = part => [
      `browser tests ${part}`,
      ['scripts/e2e.mjs', `--part=${part}`],
      passed => {
        const stats = report(`playwright-${part}.json`)?.stats
        count((stats?.expected ?? 0) + (stats?.flaky ?? 0), Math.max(stats?.unexpected ?? 0, passed ? 0 : 1))
      },
    ]
    await twoAtATime([
      [browserTests(1)],
      [browserTests(2)],
      // The campaigns of the benchmarks, short and with fixed seeds.
      [['faults at moments of chance', ['scripts/bench-faults.mjs', '5', '7']]],
      [['a batch of a thousand', ['scripts/bench-batch.mjs', '1000']]],
      [['hostile requests', ['scripts/bench-requests.mjs', '100', '11']]],
    ])
    const { slowest, failed } = summaryOf(
      unit,
      [1, 2].map(part => report(`playwright-${part}.json`)),
    )
    console.log(`\nThe slowest tests:\n${slowest.join('\n')}`)
    if (failed.length > 0) console.log(`\nFailed:\n${failed.join('\n')}`)
  } finally {
    rmSync(directory, { recursive: true, force: true })
    // What a failure left (traces, reports) is of use; a passed run leaves nothing.
    if (sum.failed === 0) rmSync(reports, { recursive: true, force: true })
  }
  console.log(`\n${sum.passed} passed, ${sum.failed} failed`)
  process.exitCode = sum.failed === 0 && sum.passed > 0 ? 0 : 1
})
