import path from 'node:path'
import { stripVTControlCharacters } from 'node:util'
import { projectDirectory } from './bootstrap.mjs'

const firstLine = text => stripVTControlCharacters(text ?? '').split('\n')[0]

/** @returns each test of a report of the unit tests; a file that broke off outside any test counts as one that failed */
function ofUnit(report) {
  return (report?.testResults ?? []).flatMap(file => {
    const name = path.relative(projectDirectory, file.name)
    const tests = file.assertionResults.map(test => ({
      name: `${name}: ${test.fullName}`,
      seconds: (test.duration ?? 0) / 1000,
      failure: test.status === 'failed' ? firstLine(test.failureMessages?.[0]) : null,
    }))
    const brokeOff = file.status === 'failed' && tests.every(test => test.failure === null)
    return brokeOff ? [...tests, { name, seconds: 0, failure: firstLine(file.message) }] : tests
  })
}

/** @returns the same of a suite of a report of the browser tests */
function ofSuite(suite, file) {
  return [
    ...(suite.specs ?? []).map(spec => {
      const results = spec.tests.flatMap(test => test.results)
      return {
        name: `tests/e2e/${file}: ${spec.title}`,
        seconds: results.reduce((sum, result) => sum + result.duration, 0) / 1000,
        failure: spec.ok ? null : firstLine(results.at(-1)?.error?.message),
      }
    }),
    ...(suite.suites ?? []).flatMap(inner => ofSuite(inner, file)),
  ]
}

/** The twenty tests that took longest, and those that failed with the first line of what they say, of the reports of both runners. */
export function summaryOf(unit, browsers) {
  const tests = [
    ...ofUnit(unit),
    ...browsers.flatMap(report => (report?.suites ?? []).flatMap(suite => ofSuite(suite, suite.file))),
  ]
  return {
    slowest: [...tests]
      .sort((a, b) => b.seconds - a.seconds)
      .slice(0, 20)
      .map(({ seconds, name }) => `${seconds.toFixed(1).padStart(7)} s  ${name}`),
    failed: tests.filter(test => test.failure !== null).map(({ name, failure }) => `${name}: ${failure}`),
  }
}
