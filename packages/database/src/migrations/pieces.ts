import { Migration } from '@mikro-orm/migrations'

/** Which piece of its source a job is of: its number, of how many, and the chapter's title; null for the whole. */
export class Pieces extends Migration {
  override up(): void {
    this.addSql(`alter table "job" add column "piece" jsonb null`)
  }
}
