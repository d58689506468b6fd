import { Migration } from '@mikro-orm/migrations'

/** Finished jobs against their forecasts, and what they say of others. */
export class Outcomes extends Migration {
  override up(): void {
    this.addSql(`alter table "job" add column "promised" jsonb null`)
    this.addSql(`
      create table "forecast_outcome" (
        "id" serial primary key,
        "job_id" int not null,
        "source_name" text not null,
        "spec_name" text not null,
        "kind" text not null,
        "basis" text not null,
        "held_against" int null,
        "finished_at" timestamptz not null,
        "seconds" jsonb not null,
        "bytes" jsonb not null
      )`)
    for (const column of ['kind', 'basis'])
      this.addSql(`create index "forecast_outcome_${column}_id_index" on "forecast_outcome" ("${column}", "id")`)
    this.addSql(`
      create table "calibration" (
        "id" serial primary key,
        "kind" text not null,
        "results" int not null,
        "calibration" jsonb not null,
        "made_at" timestamptz not null default now()
      )`)
    this.addSql(`alter table "calibration" add constraint "calibration_kind_unique" unique ("kind")`)
    for (const table of ['forecast_outcome', 'calibration'])
      this.addSql(
        `create trigger announce after insert or update or delete on "${table}" for each row execute function hematine_announce()`,
      )
  }
}
