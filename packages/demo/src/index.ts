export * from './material.ts'
export * from './seed.ts'
