import { Migration } from '@mikro-orm/migrations'

/** Batches of thousands: samples that stand for a group of like work, and one event for an action on many jobs. */
export class Batches extends Migration {
  override up(): void {
    this.addSql(
      `alter table "sample" add column "extent" jsonb null, add column "like_key" text null, add column "units" double precision null`,
    )
    this.addSql(`create index "sample_like_key_state_index" on "sample" ("like_key", "state")`)
    // What is measured, or about to be, is looked for often; most rows are neither.
    this.addSql(`create index "sample_open_index" on "sample" ("id") where "state" in ('waiting', 'measuring')`)
    this.addSql(`create sequence "job_action"`)
    this.addSql(`alter table "job_event" add column "action" int null, add column "action_jobs" int null`)
    this.addSql(`create index "job_event_action_index" on "job_event" ("action") where "action" is not null`)
    // What happened stays as it was written; only which row stands for an action may move, when the first of its jobs is removed.
    this.addSql(`
      create or replace function hematine_append_only() returns trigger language plpgsql as $$
      begin
        if to_jsonb(new) - 'action_jobs' = to_jsonb(old) - 'action_jobs' then
          return new;
        end if;
        raise exception 'What happened to a job is never rewritten.';
      end $$`)
  }
}
