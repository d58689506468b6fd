import { Migration } from '@mikro-orm/migrations'

/** The lateness of orders counts unlike; that of those that there are, once. */
export class LateWeights extends Migration {
  override up(): void {
    this.addSql(`alter table "work_order" add column "late_weight" int not null default 1`)
  }
}
