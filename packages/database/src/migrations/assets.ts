import { Migration } from '@mikro-orm/migrations'

/** Lookup tables and pictures that steps name by the hash of their bytes. */
export class Assets extends Migration {
  override up(): void {
    this.addSql(
      `create table "asset" ("sha256" text not null, "name" text not null, "kind" text not null, "about" text not null, "data" bytea not null, "created_at" timestamptz not null default now(), primary key ("sha256"))`,
    )
  }
}
