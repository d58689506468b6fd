import { Migration } from '@mikro-orm/migrations'

/** Sources that are others played one after the other. */
export class Joins extends Migration {
  override up(): void {
    this.addSql(`alter table "source" add column "joined" jsonb null`)
  }
}
