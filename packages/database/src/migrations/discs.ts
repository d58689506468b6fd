import { Migration } from '@mikro-orm/migrations'

/** Titles of discs as sources, drives, and discs that are read in. */
export class Discs extends Migration {
  override up(): void {
    this.addSql(`alter table "source" add column "disc" jsonb null`)
    this.addSql(
      `create table "drive" ("id" serial primary key, "name" text not null, "shelf" text not null, "disc" text null, "speed" double precision not null, "bad_sectors" jsonb not null)`,
    )
    this.addSql(
      `create table "disc_copy" ("id" serial primary key, "order_id" int not null, "volume_id" int not null, "drive_id" int not null, "disc" text not null, "state" text not null, "sectors_done" int not null default 0, "sectors_total" int null, "unreadable" jsonb not null, "path" text null, "brought" int not null default 0, "reason" text null, "created_at" timestamptz not null default now(), "ended_at" timestamptz null)`,
    )
    for (const [column, table] of [
      ['order', 'work_order'],
      ['volume', 'volume'],
      ['drive', 'drive'],
    ] as const)
      this.addSql(
        `alter table "disc_copy" add constraint "disc_copy_${column}_id_foreign" foreign key ("${column}_id") references "${table}" ("id") on update cascade`,
      )
    for (const table of ['drive', 'disc_copy'])
      this.addSql(
        `create trigger announce after insert or update or delete on "${table}" for each row execute function hematine_announce()`,
      )
  }
}
