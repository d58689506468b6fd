import { Migration } from '@mikro-orm/migrations'

/**
 * What keeps finished work from being lost: jobs remember what they were drafted from, reads and measurements know whether a newer one began,
 * and volumes have a marker that tells them from the empty directory they are mounted on.
 */
export class Ground extends Migration {
  override up(): void {
    this.addSql(
      `alter table "volume" add column "marker" text not null default gen_random_uuid()::text, add column "marked_at" timestamptz null`,
    )
    this.addSql(`alter table "volume" alter column "marker" drop default`)
    this.addSql(
      `alter table "source" add column "revision" int not null default 1, add column "measure_run" int not null default 0`,
    )
    this.addSql(`alter table "sample" add column "run" int not null default 0`)
    this.addSql(
      `alter table "job" add column "facts" jsonb null, add column "findings" jsonb null, add column "identity" text null, add column "not_before" timestamptz null`,
    )
    // Sequences are told apart by their gaps and rates from now on; what they were told apart by before would look like a change.
    this.addSql(`update "source" set "identity" = null where "kind" in ('sequence', 'join')`)
    this.addSql(
      `update "job" set "facts" = "source"."facts", "findings" = "source"."findings", "identity" = "source"."identity" from "source" where "source"."id" = "job"."source_id"`,
    )
    // Batches of thousands: what of a source, an order or a sample is asked for must not go through every job.
    for (const column of ['order_id', 'source_id', 'sample_id'])
      this.addSql(`create index "job_${column}_index" on "job" ("${column}")`)
  }
}
