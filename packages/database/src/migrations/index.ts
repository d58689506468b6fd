import { FirstTables } from './first-tables.ts'
import { Intake } from './intake.ts'

/** Every migration, oldest first. A name is never changed once it has run anywhere. */
export const migrations = [
  { name: '001-first-tables', class: FirstTables },
  { name: '002-intake', class: Intake },
]
