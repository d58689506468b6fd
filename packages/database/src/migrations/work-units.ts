import { Migration } from '@mikro-orm/migrations'

/** Parts that a long job is made in, each by whichever worker has a lane free. */
export class WorkUnits extends Migration {
  override up(): void {
    this.addSql(`
      create table "work_unit" (
        "id" serial primary key,
        "job_id" int not null,
        "work" text not null,
        "place" int not null,
        "first_frame" int not null,
        "frames" int null,
        "state" text not null,
        "run" int not null default 0,
        "worker_id" uuid null,
        "frames_done" int not null default 0,
        "seconds" double precision null,
        "losses" int not null default 0,
        "reason" text null,
        "is_away" boolean not null default false
      )`)
    this.addSql(`alter table "work_unit" add constraint "work_unit_job_id_place_unique" unique ("job_id", "place")`)
    this.addSql(
      `alter table "work_unit" add constraint "work_unit_job_id_foreign" foreign key ("job_id") references "job" ("id") on update cascade on delete cascade`,
    )
    // How far a unit is concerns its job, which tells it; that one is to be done, or is done, concerns workers.
    this.addSql(
      `create trigger announce after insert or update of "state" on "work_unit" for each row execute function hematine_announce()`,
    )
    this.addSql(`alter table "job" add column "whole_because" text null`)
  }
}
