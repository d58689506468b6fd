export * from './by-like.ts'
export * from './forecast.ts'
