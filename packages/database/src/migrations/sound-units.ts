import { Migration } from '@mikro-orm/migrations'

/** Sound of a job that is made in parts is a unit beside the segments of its picture. */
export class SoundUnits extends Migration {
  override up(): void {
    this.addSql(`alter table "work_unit" add column "kind" text not null default 'segment'`)
    this.addSql(`alter table "work_unit" alter column "kind" drop default`)
    // Their tasks wait in a queue of another name, which nobody looks at any more: their jobs ask for them once more.
    this.addSql(`update "work_unit" set "state" = 'idle' where "state" = 'waiting'`)
  }
}
