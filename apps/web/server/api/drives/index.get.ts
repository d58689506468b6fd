import { listDrives } from '@hematine/database'
import { driveRecord } from '../../utils/drives'
import { handle } from '../../utils/handle'

export default handle('listDrives', async ({ application }) =>
  Promise.all((await listDrives(application.em())).map(driveRecord)),
)
