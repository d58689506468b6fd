import { Migration } from '@mikro-orm/migrations'

/** The spec that announced material is planned with. */
export class PlannedSpecs extends Migration {
  override up(): void {
    this.addSql(`alter table "planned_source" add column "spec_key" text null`)
  }
}
