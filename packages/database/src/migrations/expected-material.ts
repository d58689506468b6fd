import { Migration } from '@mikro-orm/migrations'

/** Announced material says when it is expected; of what is there already nobody did. */
export class ExpectedMaterial extends Migration {
  override up(): void {
    this.addSql(
      `update "planned_source" set "planned" = "planned" || '{"expectedAt": null}' where "planned" -> 'expectedAt' is null`,
    )
  }
}
