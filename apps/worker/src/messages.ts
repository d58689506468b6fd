import type {
  CheckMeasurement,
  CurveMeasurement,
  MeasureDepth,
  Measurement,
  Moment,
  Planned,
  SampleMeasurement,
  SourceFacts,
  TreatedLikeness,
  TrialMoment,
  WorkStage,
  FoundDevices,
} from '@hematine/core'
import type { MediaInput } from '@hematine/media/ground/media-input'
import type { MadeParts } from '@hematine/media/delivering/deliver'
import type { SegmentPlan } from '@hematine/media/joining/segment'
import type { SoundFilesPlan } from '@hematine/media/joining/sound-file'
import type { TreatedSource } from '@hematine/media/checking/compare-treated'
import type { CurvePlan } from '@hematine/media/previews/curve'
import type { GivenDevice } from './devices.ts'

/** The session of a graphics device that a task encodes in; null where the processor does. */
interface OnDevice {
  onDevice: GivenDevice | null
}

/** What a worker tells its child process to do: one task after another. */
export type Assignment =
  | { kind: 'devices' }
  | { kind: 'facts'; input: MediaInput }
  | { kind: 'poster'; input: MediaInput; facts: SourceFacts }
  | { kind: 'measure'; input: MediaInput; facts: SourceFacts; depth: MeasureDepth; through: boolean }
  | ({ kind: 'sample'; input: MediaInput; facts: SourceFacts; scratchDirectory: string; machine: string } & Planned &
      OnDevice)
  | ({ kind: 'curve' } & CurvePlan & OnDevice)
  | { kind: 'compare'; of: TreatedSource; reference: TreatedSource }
  | ({
      kind: 'trial'
      input: MediaInput
      facts: SourceFacts
      moments: Moment[]
      skip: number[]
      directory: string
      sourceId: number
    } & Planned)
  | ({
      kind: 'job'
      input: MediaInput
      facts: SourceFacts
      outputPath: string
      itemName: string
      /** What lies in working files already. */
      made?: MadeParts
    } & Planned &
      OnDevice)
  | ({ kind: 'segment' } & SegmentPlan)
  | ({ kind: 'sound' } & SoundFilesPlan)

/** What a worker says to its child while it works. */
export type Instruction =
  { say: 'assign'; assignment: Assignment } | { say: 'pause' } | { say: 'go on' } | { say: 'stop' } | { say: 'leave' }

/** What a child reports. `stageSeconds` and `workSeconds` leave out pauses; `done` is in frames, or in milliseconds of sound where there is no picture. */
export type Report =
  | {
      say: 'progress'
      stage: WorkStage
      done: number
      bytesWritten: number
      stageSeconds: number
      encodeSeconds: number | null
    }
  | { say: 'measuring'; part: number }
  | { say: 'look'; looks: number }
  | { say: 'moment'; index: number; result: TrialMoment }
  | { say: 'tried' }
  | { say: 'facts'; facts: SourceFacts; identity: string }
  | { say: 'poster'; poster: Buffer }
  | { say: 'measured'; measurement: Measurement; facts: SourceFacts; strip: { seconds: number; picture: Buffer }[] }
  | { say: 'sample'; measurement: SampleMeasurement }
  | { say: 'curve'; measurement: CurveMeasurement }
  | { say: 'compared'; measurement: TreatedLikeness }
  | { say: 'job'; measurement: CheckMeasurement; workSeconds: number }
  | { say: 'unit'; frames: number; workSeconds: number }
  | { say: 'devices'; found: FoundDevices }
  | { say: 'stopped' }
  /** `isAway` where a file was not there, or nothing was done for a while, which may pass; `problem` where segments do not fit together, or a working file is not whole; `device` is the key of a graphics device that did not do what it was asked. */
  | { say: 'failed'; reason: string; isAway?: boolean; problem?: 'seam' | 'working file'; device?: string }
