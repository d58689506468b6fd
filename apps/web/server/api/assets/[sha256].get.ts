import { findAsset, Problem } from '@hematine/database'
import { handle } from '../../utils/handle'

export default handle('readAsset', async ({ application, parameters }) => {
  const asset = await findAsset(application.em(), parameters.sha256)
  if (!asset) throw new Problem(404, 'not-found', 'The library has no such table or picture. Add it again.')
  return { ...asset, data: asset.data.toString('base64') }
})
