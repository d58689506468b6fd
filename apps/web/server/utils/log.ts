import pino, { type Logger } from 'pino'

let log: Logger | null = null

export function useLog(): Logger {
  log ??= pino({ level: process.env.HEMATINE_LOG_LEVEL || 'info', base: { process: 'web' } })
  return log
}
