import { subscribe, unsubscribe } from 'node:diagnostics_channel'
import type { Server } from 'node:http'
import { useApplication } from '../utils/application'
import { useLog } from '../utils/log'

/**
 * How long a connection without a request is kept open. Node.js closes it after five seconds, often at the very moment
 * at which a page or a program asks again: that request is cut off, and who sent it cannot know whether it was done.
 */
const idleMilliseconds = 75_000

/** The server is made outside our code and named nowhere; its first request tells which one it is. */
function keepIdleConnections(): void {
  const channel = 'http.server.request.start'
  const takeServer = (message: unknown) => {
    const { server } = message as { server: Server }
    server.keepAliveTimeout = idleMilliseconds
    unsubscribe(channel, takeServer)
  }
  subscribe(channel, takeServer)
}

/** Opens everything before the first request, and closes it when the server is told to end or its starter is gone. */
export default defineNitroPlugin(nitro => {
  keepIdleConnections()
  const opening = useApplication()
  opening.catch((error: Error) => {
    useLog().fatal({ error: error.message }, 'the web server cannot start')
    process.exit(1)
  })
  const endStreams = () =>
    void opening.then(
      application => application.live.close(),
      () => undefined,
    )
  // Open event streams would hold the server's shutdown back.
  process.on('SIGTERM', endStreams)
  process.on('SIGINT', endStreams)
  process.on('disconnect', () => process.kill(process.pid, 'SIGTERM'))
  nitro.hooks.hook('close', async () => {
    const application = await opening.catch(() => null)
    await application?.close()
  })
})
