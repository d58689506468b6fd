export * from './judge.ts'
export * from './on-disk.ts'
export * from './order-watch.ts'
export * from './records.ts'
