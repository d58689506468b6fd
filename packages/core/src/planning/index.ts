export * from './agenda.ts'
export * from './job-list.ts'
export * from './lanes.ts'
export * from './outline.ts'
