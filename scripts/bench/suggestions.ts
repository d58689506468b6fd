import { mkdirSync, rmSync } from 'node:fs'
import { cpus } from 'node:os'
import path from 'node:path'
import { readSettings, type SourceRow, type Step, type TrialRecord } from '@hematine/core'
import { temporaryDirectory } from '../lib/bootstrap.mjs'
import { build } from '../lib/build.ts'
import { freePort } from '../lib/cluster.ts'
import { run } from '../lib/run.ts'

const pause = (milliseconds: number) => new Promise(resolve => setTimeout(resolve, milliseconds))

/**
 * Tries what the application itself suggests, on every source of the demo: through its own routes, on the moments that it chooses. Each trial works, or is
 * refused with a reason before it runs; one that fails is a fault.
 */
export async function benchSuggestions(): Promise<void> {
  await build()
  const directory = temporaryDirectory('hematine-suggestions-')
  mkdirSync(path.join(directory, 'data'), { recursive: true })
  const settings = readSettings({ HEMATINE_PORT: String(await freePort()), HEMATINE_LOG_LEVEL: 'error' })
  const running = await run({
    empty: false,
    dataDirectory: path.join(directory, 'data'),
    settings,
    lasting: false,
    say: () => undefined,
  })
  const ask = async <Answer>(route: string, body?: unknown): Promise<{ status: number; answer: Answer }> => {
    const response = await fetch(
      running.address + route,
      body === undefined
        ? {}
        : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) },
    )
    return { status: response.status, answer: (await response.json()) as Answer }
  }
  try {
    console.log(`Machine: ${cpus()[0]!.model.trim()}, ${cpus().length} cores, Node.js ${process.versions.node}`)
    let sources: SourceRow[] = []
    do {
      await pause(1000)
      sources = (await ask<{ rows: SourceRow[] }>('/api/sources?orderId=1&limit=500')).answer.rows
    } while (
      sources.length === 0 ||
      sources.some(source => source.state === 'reading' || ['waiting', 'measuring'].includes(source.measureState))
    )
    const count = { tried: 0, refused: 0, failed: 0 }
    console.log('\n| source | suggested | spec | what came of it |\n|---|---|---|---|')
    for (const source of sources) {
      const tell = (spec: string, steps: readonly Step[], words: string) =>
        console.log(`| ${source.name} | ${steps.map(step => step.kind).join(', ') || '-'} | ${spec} | ${words} |`)
      if (source.state !== 'ready') {
        tell('-', [], 'refused at intake')
        continue
      }
      const suggestion = await ask<{ step: Step }[]>(`/api/sources/${source.id}/suggestion`)
      const steps = suggestion.answer.map(entry => entry.step)
      const spec = source.motion === '' || source.picture === '' ? 'sound-m4a' : 'playback-box'
      const { status, answer } = await ask<{
        trials?: TrialRecord[]
        refused?: { reason: string }[]
        error?: { message: string }
      }>('/api/trials', { sourceId: source.id, specKey: spec, wishes: [{ label: 'as suggested', steps }] })
      const [trial] = answer.trials ?? []
      if (!trial) {
        const reason = answer.refused?.[0]?.reason ?? answer.error?.message ?? ''
        const isFault = status >= 500 || reason === ''
        count[isFault ? 'failed' : 'refused']++
        tell(spec, steps, `${isFault ? 'FAILED' : 'refused'}: ${reason}`)
        continue
      }
      let now = trial
      while (now.state === 'waiting' || now.state === 'running') {
        await pause(500)
        const list = (await ask<TrialRecord[]>('/api/trials?orderId=1')).answer
        now = list.find(entry => entry.id === trial.id) ?? { ...now, state: 'failed', reason: 'it vanished' }
      }
      count[now.state === 'failed' ? 'failed' : 'tried']++
      tell(spec, steps, now.state === 'failed' ? `FAILED: ${now.reason}` : `${now.results.length} moments tried`)
    }
    console.log(`\n${count.tried} tried, ${count.refused} refused before they ran, ${count.failed} failed.`)
    process.exitCode = count.failed === 0 && count.tried > 0 ? 0 : 1
  } finally {
    await running.stop()
    rmSync(directory, { recursive: true, force: true })
  }
}
