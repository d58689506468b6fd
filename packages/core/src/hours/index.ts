export * from './hours.ts'
export * from './open-time.ts'
