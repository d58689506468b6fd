import { Migration } from '@mikro-orm/migrations'

/** Sequences whose end is known before they are complete; how far measurements are. */
export class Renders extends Migration {
  override up(): void {
    this.addSql(
      `alter table "source" add column "expected_last" int null, add column "measure_part" double precision null`,
    )
  }
}
