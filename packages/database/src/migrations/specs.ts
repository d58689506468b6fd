import { Migration } from '@mikro-orm/migrations'

/** Delivery specs as data: versions that never change. */
export class Specs extends Migration {
  override up(): void {
    this.addSql(
      `create table "spec" ("id" serial primary key, "key" text not null, "version" int not null, "spec" jsonb not null, "is_shipped" boolean not null default false, "created_at" timestamptz not null default now())`,
    )
    this.addSql(`alter table "spec" add constraint "spec_key_version_unique" unique ("key", "version")`)
    this.addSql(
      `create trigger announce after insert or update or delete on "spec" for each row execute function hematine_announce()`,
    )
    this.addSql(`
      create function hematine_kept() returns trigger language plpgsql as $$
      begin
        raise exception 'A version of a delivery spec is never changed.';
      end $$`)
    this.addSql('create trigger kept before update or delete on "spec" for each row execute function hematine_kept()')
  }
}
