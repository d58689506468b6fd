import { describeLookupTable, LookupTableProblem, parseLookupTable } from '@hematine/core'
import { keepAsset, Problem } from '@hematine/database'
import { handle } from '../../utils/handle'

/** Where a PNG says how large it is: width and height, four bytes each, at the start of its first chunk. */
const pngSizeAt = 16

export default handle('keepAsset', async ({ application, body }) => {
  const { name, kind } = body
  if (kind === 'picture') {
    const png = await application.stills.make({ kind: 'mark', data: body.data })
    return keepAsset(application.em(), {
      name,
      kind,
      about: `${png.readUInt32BE(pngSizeAt)}x${png.readUInt32BE(pngSizeAt + 4)}`,
      data: png,
    })
  }
  try {
    const table = parseLookupTable(Buffer.from(body.data, 'base64').toString('utf8'))
    return await keepAsset(application.em(), {
      name,
      kind,
      about: describeLookupTable(table),
      data: Buffer.from(table.text),
    })
  } catch (error) {
    if (error instanceof LookupTableProblem) throw new Problem(409, 'bad-asset', error.message)
    throw error
  }
})
