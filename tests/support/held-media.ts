import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { fileURLToPath } from 'node:url'
import {
  deliver as reallyDeliver,
  makeSegment as reallyMakeSegment,
  makeSound as reallyMakeSound,
  type WorkGate,
} from '@hematine/media'

/**
 * The media package as a test's child process has it: encoding and checking wait at a frame for as long as the test wants them to,
 * so that a fault comes at that very point however fast or busy the machine is.
 */
export * from '@hematine/media'

export type HeldStage = 'encode' | 'check' | 'segment' | 'sound'

/** In the directory of the bundled child: the frame at which a stage waits while the file is there. */
export const holdFile = (stage: HeldStage) => `hold-${stage}`
/** In the same place: written when work that waits was paused by its worker. */
export const pausedFile = 'paused'

/** The frame that a file names, null when it is not there (any more). */
function frameIn(file: string): number | null {
  try {
    return Number(readFileSync(file, 'utf8'))
  } catch {
    return null
  }
}

/** In the directory of the bundled child. */
const here = (name: string) => path.join(path.dirname(fileURLToPath(import.meta.url)), name)

/** Passes a gate, and notes when it is shut. */
async function pass(gate: WorkGate): Promise<void> {
  const turn = gate.turn()
  // An open gate is passed before any timer runs out.
  if ((await Promise.race([turn.then(() => 'open'), sleep(20, 'shut')])) === 'shut') writeFileSync(here(pausedFile), '')
  await turn
}

function held(stage: HeldStage, gate: WorkGate): WorkGate {
  const hold = here(holdFile(stage))
  let turns = 0
  return {
    async turn() {
      await pass(gate)
      const frame = frameIn(hold)
      if (frame === null || ++turns <= frame) return
      while (existsSync(hold)) {
        await sleep(20)
        await pass(gate)
      }
    },
  }
}

export const deliver: typeof reallyDeliver = (plan, gate, onProgress) => {
  const gates = { encode: held('encode', gate), check: held('check', gate) }
  let stage: keyof typeof gates = 'encode'
  return reallyDeliver(plan, { turn: () => gates[stage].turn() }, progress => {
    if (progress.stage === 'encode' || progress.stage === 'check') stage = progress.stage
    onProgress(progress)
  })
}

/** Segments that begin at the named frame, or behind it, wait in their midst. */
export const makeSegment: typeof reallyMakeSegment = (plan, gate, onProgress) => {
  const hold = here(holdFile('segment'))
  const from = frameIn(hold)
  const waits = from !== null && plan.segment.firstFrame >= from
  let turns = 0
  const waiting: WorkGate = {
    async turn() {
      await pass(gate)
      while (++turns > 3 && existsSync(hold)) {
        await sleep(20)
        await pass(gate)
      }
    },
  }
  return reallyMakeSegment(plan, waits ? waiting : gate, onProgress)
}

export const makeSound: typeof reallyMakeSound = (plan, gate, onPart) =>
  reallyMakeSound(plan, held('sound', gate), onPart)
