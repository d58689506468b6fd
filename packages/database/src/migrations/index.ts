import { AnnouncedDrafts } from './announced-drafts.ts'
import { Assets } from './assets.ts'
import { Batches } from './batches.ts'
import { Bench } from './bench.ts'
import { CurvePictures } from './curve-pictures.ts'
import { Curves } from './curves.ts'
import { Discs } from './discs.ts'
import { FirstTables } from './first-tables.ts'
import { Ground } from './ground.ts'
import { Intake } from './intake.ts'
import { Inventory } from './inventory.ts'
import { Joins } from './joins.ts'
import { LaneChoices } from './lane-choices.ts'
import { LotFineness } from './lot-fineness.ts'
import { Outcomes } from './outcomes.ts'
import { PlannedNames } from './planned-names.ts'
import { Renders } from './renders.ts'
import { SoundUnits } from './sound-units.ts'
import { Specs } from './specs.ts'
import { WorkerCores } from './worker-cores.ts'
import { WorkingHoursOfAll } from './working-hours.ts'
import { WorkUnits } from './work-units.ts'

/** Every migration, oldest first. A name is never changed once it has run anywhere. */
export const migrations = [
  { name: '001-first-tables', class: FirstTables },
  { name: '002-intake', class: Intake },
  { name: '003-discs', class: Discs },
  { name: '004-inventory', class: Inventory },
  { name: '005-renders', class: Renders },
  { name: '006-bench', class: Bench },
  { name: '007-assets', class: Assets },
  { name: '008-joins', class: Joins },
  { name: '009-lot-fineness', class: LotFineness },
  { name: '010-ground', class: Ground },
  { name: '011-batches', class: Batches },
  { name: '012-specs', class: Specs },
  { name: '013-announced-drafts', class: AnnouncedDrafts },
  { name: '014-planned-names', class: PlannedNames },
  { name: '015-curves', class: Curves },
  { name: '016-curve-pictures', class: CurvePictures },
  { name: '017-work-units', class: WorkUnits },
  { name: '018-sound-units', class: SoundUnits },
  { name: '019-lane-choices', class: LaneChoices },
  { name: '020-outcomes', class: Outcomes },
  { name: '021-worker-cores', class: WorkerCores },
  { name: '022-working-hours', class: WorkingHoursOfAll },
]
