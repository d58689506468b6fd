import { Migration } from '@mikro-orm/migrations'

/** The first set of tables, and the triggers that tell listeners what changed. */
export class FirstTables extends Migration {
  override up(): void {
    this.addSql(
      `create table "work_order" ("id" serial primary key, "code" text not null, "name" text not null, "due_at" timestamptz null, "created_at" timestamptz not null default now())`,
    )
    this.addSql(
      `create table "volume" ("id" serial primary key, "name" text not null, "role" text not null, "path" text not null, "created_at" timestamptz not null default now())`,
    )
    this.addSql(`alter table "volume" add constraint "volume_path_unique" unique ("path")`)
    this.addSql(
      `create table "source" ("id" serial primary key, "order_id" int not null, "volume_id" int not null, "relative_path" text not null, "kind" text not null, "sequence" jsonb null, "frame_rate" jsonb null, "state" text not null, "reason" text null, "facts" jsonb null, "identity" text null, "has_poster" boolean not null default false, "created_at" timestamptz not null default now())`,
    )
    this.addSql(
      `alter table "source" add constraint "source_order_id_volume_id_relative_path_unique" unique ("order_id", "volume_id", "relative_path")`,
    )
    this.addSql(
      `create table "sample" ("id" serial primary key, "fingerprint" text not null, "source_id" int not null, "treatment" jsonb not null, "spec" jsonb not null, "state" text not null, "measurement" jsonb null, "reason" text null, "created_at" timestamptz not null default now(), "measured_at" timestamptz null)`,
    )
    this.addSql(`alter table "sample" add constraint "sample_fingerprint_unique" unique ("fingerprint")`)
    this.addSql(
      `create table "poster" ("source_id" int not null, "picture" bytea not null, constraint "poster_pkey" primary key ("source_id"))`,
    )
    this.addSql(
      `create table "job" ("id" serial primary key, "order_id" int not null, "source_id" int not null, "sample_id" int null, "delivery_volume_id" int not null, "spec" jsonb not null, "treatment" jsonb not null, "state" text not null, "position" double precision not null, "attempt" int not null default 0, "losses" int not null default 0, "worker_id" uuid null, "worker_name" text null, "progress" jsonb null, "output_path" text null, "temporary_path" text null, "check" jsonb null, "reason" text null, "work_seconds" double precision null, "created_at" timestamptz not null default now(), "released_at" timestamptz null, "started_at" timestamptz null, "finished_at" timestamptz null)`,
    )
    this.addSql(`create index "job_state_index" on "job" ("state")`)
    this.addSql(
      `create table "job_event" ("id" serial primary key, "job_id" int not null, "at" timestamptz not null default now(), "event" text not null, "from_state" text null, "to_state" text not null, "note" text null)`,
    )
    this.addSql(`create index "job_event_job_id_index" on "job_event" ("job_id")`)
    this.addSql(
      `create table "worker" ("id" uuid not null, "name" text not null, "machine" text not null, "host" text not null, "pid" int not null, "lanes" int not null, "started_at" timestamptz not null default now(), "seen_at" timestamptz not null default now(), "gone_at" timestamptz null, constraint "worker_pkey" primary key ("id"))`,
    )
    this.addSql(
      `create table "task_claim" ("task_id" uuid not null, "kind" text not null, "payload" jsonb not null, "worker_id" uuid not null, constraint "task_claim_pkey" primary key ("task_id"))`,
    )
    this.addSql(
      `alter table "source" add constraint "source_order_id_foreign" foreign key ("order_id") references "work_order" ("id") on update cascade`,
    )
    this.addSql(
      `alter table "source" add constraint "source_volume_id_foreign" foreign key ("volume_id") references "volume" ("id") on update cascade`,
    )
    this.addSql(
      `alter table "sample" add constraint "sample_source_id_foreign" foreign key ("source_id") references "source" ("id") on update cascade on delete cascade`,
    )
    this.addSql(
      `alter table "poster" add constraint "poster_source_id_foreign" foreign key ("source_id") references "source" ("id") on update cascade on delete cascade`,
    )
    this.addSql(
      `alter table "job" add constraint "job_order_id_foreign" foreign key ("order_id") references "work_order" ("id") on update cascade`,
    )
    this.addSql(
      `alter table "job" add constraint "job_source_id_foreign" foreign key ("source_id") references "source" ("id") on update cascade`,
    )
    this.addSql(
      `alter table "job" add constraint "job_sample_id_foreign" foreign key ("sample_id") references "sample" ("id") on update cascade on delete set null`,
    )
    this.addSql(
      `alter table "job" add constraint "job_delivery_volume_id_foreign" foreign key ("delivery_volume_id") references "volume" ("id") on update cascade`,
    )
    this.addSql(
      `alter table "job_event" add constraint "job_event_job_id_foreign" foreign key ("job_id") references "job" ("id") on update cascade on delete cascade`,
    )
    this.addSql(
      `alter table "task_claim" add constraint "task_claim_worker_id_foreign" foreign key ("worker_id") references "worker" ("id") on update cascade on delete cascade`,
    )

    // Listeners hear "table:id" for every change ("job:id:progress" when only that changed) and read the row themselves.
    this.addSql(`
      create function hematine_announce() returns trigger language plpgsql as $$
      begin
        if tg_table_name = 'job' and tg_op = 'UPDATE' then
          -- Progress comes twice a second; workers do not look for work because of it.
          if new.state = old.state and new.position = old.position and new.worker_id is not distinct from old.worker_id then
            perform pg_notify('hematine_change', 'job:' || new.id::text || ':progress');
            return null;
          end if;
        end if;
        perform pg_notify('hematine_change', tg_table_name || ':' || coalesce(new.id, old.id)::text);
        return null;
      end $$`)
    for (const table of ['work_order', 'volume', 'source', 'sample', 'job', 'worker']) {
      // A worker's sign of life comes every other second and changes nothing that anybody looks at.
      const when =
        table === 'worker' ? 'insert or delete or update of gone_at, lanes, name' : 'insert or update or delete'
      this.addSql(
        `create trigger announce after ${when} on "${table}" for each row execute function hematine_announce()`,
      )
    }
    this.addSql(`
      create function hematine_append_only() returns trigger language plpgsql as $$
      begin
        raise exception 'What happened to a job is never rewritten.';
      end $$`)
    this.addSql(
      'create trigger append_only before update on "job_event" for each row execute function hematine_append_only()',
    )
  }
}
