import { useApplication } from '../utils/application'
import { useLog } from '../utils/log'

/** Opens everything before the first request, and closes it when the server is told to end or its starter is gone. */
export default defineNitroPlugin(nitro => {
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
