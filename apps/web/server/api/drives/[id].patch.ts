import { changeDrive, listDrives, Problem } from '@hematine/database'
import { driveRecord } from '../../utils/drives'
import { handle } from '../../utils/handle'

export default handle('changeDrive', async ({ application, parameters, body }) => {
  if (body.disc) {
    const drive = (await listDrives(application.em())).find(entry => entry.id === parameters.id)
    if (drive && !(await driveRecord(drive)).shelf.includes(body.disc))
      throw new Problem(404, 'no-disc', `There is no disc ${body.disc} on the shelf of ${drive.name}.`)
  }
  return driveRecord(await changeDrive(application.em(), parameters.id, body))
})
