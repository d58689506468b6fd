export * from './device.ts'
export * from './stand-in.ts'
