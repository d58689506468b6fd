export * from './judge.ts'
export * from './records.ts'
