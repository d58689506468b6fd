import { Migration } from '@mikro-orm/migrations'

/** Lots, measurements and findings of sources, folders that are gone through or watched. */
export class Intake extends Migration {
  override up(): void {
    this.addSql(
      `create table "lot" ("id" serial primary key, "order_id" int not null, "name" text null, "number" int not null, "by_hand" boolean not null default false, "likeness" jsonb not null, "likeness_keys" jsonb not null, "created_at" timestamptz not null default now())`,
    )
    this.addSql(`alter table "lot" add constraint "lot_order_id_number_unique" unique ("order_id", "number")`)
    this.addSql(
      `alter table "lot" add constraint "lot_order_id_foreign" foreign key ("order_id") references "work_order" ("id") on update cascade`,
    )
    this.addSql(`
      alter table "source" add column "lot_id" int null, add column "lot_by_hand" boolean not null default false, add column "measure_state" text not null default 'none', add column "measure_reason" text null, add column "measured" jsonb null,
      add column "findings" jsonb null, add column "rules_version" int null, add column "name" text not null default '', add column "material" text null, add column "codec" text null, add column "width" int null, add column "height" int null,
      add column "rate" double precision null, add column "seconds" double precision null, add column "bytes" double precision null, add column "scan" text null, add column "finding_keys" text not null default ',', add column "fault_count" int not null default 0`)
    this.addSql(`create index "source_lot_id_index" on "source" ("lot_id")`)
    this.addSql(`create index "source_order_id_lot_id_name_index" on "source" ("order_id", "lot_id", "name")`)
    this.addSql(
      `alter table "source" add constraint "source_lot_id_foreign" foreign key ("lot_id") references "lot" ("id") on update cascade on delete set null`,
    )
    // Sources of before get their name here; the rest is filled in from their kept facts when the next worker starts.
    this.addSql(`update "source" set "name" = regexp_replace("relative_path", '^.*/', '')`)
    this.addSql(
      `create table "measurement" ("source_id" int not null, "measurement" jsonb not null, "measured_at" timestamptz not null default now(), constraint "measurement_pkey" primary key ("source_id"))`,
    )
    this.addSql(
      `alter table "measurement" add constraint "measurement_source_id_foreign" foreign key ("source_id") references "source" ("id") on update cascade on delete cascade`,
    )
    this.addSql(
      `create table "strip" ("source_id" int not null, "index" int not null, "seconds" double precision not null, "picture" bytea not null, constraint "strip_pkey" primary key ("source_id", "index"))`,
    )
    this.addSql(
      `alter table "strip" add constraint "strip_source_id_foreign" foreign key ("source_id") references "source" ("id") on update cascade on delete cascade`,
    )
    this.addSql(
      `create table "scan" ("id" serial primary key, "order_id" int not null, "volume_id" int not null, "path" text not null, "frame_rate" jsonb not null, "state" text not null, "pending" jsonb not null, "directories_done" int not null default 0, "files_seen" int not null default 0, "brought" int not null default 0, "already_there" int not null default 0, "refused_count" int not null default 0, "refused" jsonb not null, "created_at" timestamptz not null default now(), "ended_at" timestamptz null)`,
    )
    this.addSql(
      `alter table "scan" add constraint "scan_order_id_foreign" foreign key ("order_id") references "work_order" ("id") on update cascade`,
    )
    this.addSql(
      `alter table "scan" add constraint "scan_volume_id_foreign" foreign key ("volume_id") references "volume" ("id") on update cascade`,
    )
    this.addSql(
      `create table "watch" ("id" serial primary key, "order_id" int not null, "volume_id" int not null, "path" text not null, "frame_rate" jsonb not null, "growing" jsonb not null, "problem" text null, "looked_at" timestamptz null, "created_at" timestamptz not null default now())`,
    )
    this.addSql(
      `alter table "watch" add constraint "watch_order_id_volume_id_path_unique" unique ("order_id", "volume_id", "path")`,
    )
    this.addSql(
      `alter table "watch" add constraint "watch_order_id_foreign" foreign key ("order_id") references "work_order" ("id") on update cascade`,
    )
    this.addSql(
      `alter table "watch" add constraint "watch_volume_id_foreign" foreign key ("volume_id") references "volume" ("id") on update cascade`,
    )
    for (const [table, when] of [
      ['lot', 'insert or update or delete'],
      ['scan', 'insert or update or delete'],
      ['watch', 'insert or delete or update of growing, problem, frame_rate'],
    ] as const)
      this.addSql(
        `create trigger announce after ${when} on "${table}" for each row execute function hematine_announce()`,
      )
  }
}
