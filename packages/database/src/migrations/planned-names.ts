import { Migration } from '@mikro-orm/migrations'

/** What a result will be called is worked out when its job is drafted, so that it is known beforehand which would meet. */
export class PlannedNames extends Migration {
  override up(): void {
    this.addSql(`alter table "job" add column "planned_path" text null`)
    this.addSql(`create index "job_output_path_index" on "job" ("output_path")`)
    this.addSql(`create index "job_planned_path_index" on "job" ("planned_path")`)
  }
}
