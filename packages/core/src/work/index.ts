export * from './likeness-of-parts.ts'
export * from './reach.ts'
export * from './segments.ts'
export * from './unit.ts'
