import { Migration } from '@mikro-orm/migrations'

/** What jobs ask of workers; graphics devices of workers: what was found, which take no work for now and why, and what a stand-in is made to suffer; and whose turn it is to measure on a host. */
export class GraphicsDevices extends Migration {
  override up(): void {
    this.addSql(
      `alter table "worker" add column "found" jsonb not null default '{"devices":[],"missing":[]}', add column "devices_only" boolean not null default false, add column "troubles" jsonb not null default '{}', add column "fault" text null, add column "is_quiet" boolean not null default false, add column "jobs_turn_until" timestamptz null`,
    )
    this.addSql('alter table "worker" alter column "found" drop default, alter column "troubles" drop default')
    this.addSql(
      `alter table "job" add column "need" text generated always as (case when spec #>> '{video,encoder}' = 'hardware' and treatment ->> 'copied' is distinct from 'true' then spec #>> '{video,codec}' else null end) stored null`,
    )
    this.addSql('drop trigger announce on "worker"')
    this.addSql(
      `create trigger announce after insert or delete or update of gone_at, lanes, name, found, troubles, fault on "worker" for each row execute function hematine_announce()`,
    )
    this.addSql(
      `create table "measuring_turn" ("host" text not null primary key, "id" uuid not null references "worker" ("id") on delete cascade)`,
    )
    this.addSql(
      `create trigger announce after insert or update or delete on "measuring_turn" for each row execute function hematine_announce()`,
    )
  }
}
