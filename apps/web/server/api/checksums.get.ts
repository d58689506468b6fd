import { checksumsOf } from '@hematine/database'
import { setResponseHeader } from 'h3'
import { handle } from '../utils/handle'

export default handle('listChecksums', async ({ application, query, event }) => {
  const lines = (await checksumsOf(application.em(), query.orderId)).map(({ path, sha256 }) => {
    const escaped = path.replaceAll('\\', '\\\\').replaceAll('\n', '\\n')
    return `${escaped === path ? '' : '\\'}${sha256}  ${escaped}\n`
  })
  setResponseHeader(event, 'content-type', 'text/plain; charset=utf-8')
  return lines.join('')
})
