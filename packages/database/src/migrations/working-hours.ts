import { Migration } from '@mikro-orm/migrations'

/** The hours in which jobs are worked on: one row of the installation, none for any time. */
export class WorkingHoursOfAll extends Migration {
  override up(): void {
    this.addSql(
      `create table "working_hours" ("id" text not null primary key, "hours" jsonb null, "work_on_until" timestamptz null)`,
    )
    this.addSql(
      `create trigger announce after insert or update or delete on "working_hours" for each row execute function hematine_announce()`,
    )
  }
}
