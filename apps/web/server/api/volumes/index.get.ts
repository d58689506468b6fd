import { listVolumes } from '@hematine/database'
import { handle } from '../../utils/handle'
import { viewVolume } from '../../utils/volume-view'

export default handle('listVolumes', async ({ application }) =>
  Promise.all((await listVolumes(application.em())).map(viewVolume)),
)
