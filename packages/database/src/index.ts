export * from './as-records.ts'
export * from './assets.ts'
export * from './comparisons.ts'
export * from './connection.ts'
export type {
  ComparisonRow,
  CurveRow,
  DiscCopyRow,
  DriveRow,
  JobEventRow,
  JobRow,
  OrderRow,
  PlannedRow,
  SampleRow,
  ScanRow,
  SourceRow,
  TrialRow,
  VolumeRow,
  WatchRow,
  WorkUnitRow,
  WorkerRow,
} from './entities.ts'
export * from './curves.ts'
export * from './drafting.ts'
export * from './drives.ts'
export * from './inventory.ts'
export * from './job-actions.ts'
export { applyEvent } from './job-events.ts'
export * from './jobs.ts'
export * from './listen.ts'
export * from './lot-curves.ts'
export * from './lots.ts'
export * from './machine.ts'
export * from './measurements.ts'
export * from './orders.ts'
export * from './outcomes.ts'
export * from './outlines.ts'
export * from './patience.ts'
export * from './problem.ts'
export * from './measuring-turns.ts'
export * from './queue.ts'
export * from './render-tests.ts'
export * from './result-names.ts'
export * from './samples.ts'
export * from './scans.ts'
export * from './source-lists.ts'
export * from './sources.ts'
export * from './specs.ts'
export * from './treatments.ts'
export * from './trials.ts'
export * from './volumes.ts'
export * from './watches.ts'
export * from './work.ts'
export * from './workers.ts'
export * from './working-hours.ts'
