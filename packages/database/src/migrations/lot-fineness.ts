import { Migration } from '@mikro-orm/migrations'

/** How fine the lots of an order are. */
export class LotFineness extends Migration {
  override up(): void {
    this.addSql(`alter table "work_order" add column "lot_fineness" text not null default 'usual'`)
  }
}
