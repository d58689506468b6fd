import { Migration } from '@mikro-orm/migrations'

/** Material that is announced before it comes. */
export class Inventory extends Migration {
  override up(): void {
    this.addSql(
      `create table "planned_source" ("id" serial primary key, "order_id" int not null, "planned" jsonb not null, "key" text not null, "source_id" int null, "created_at" timestamptz not null default now())`,
    )
    this.addSql(`create index "planned_source_source_id_index" on "planned_source" ("source_id")`)
    this.addSql(
      `alter table "planned_source" add constraint "planned_source_order_id_key_unique" unique ("order_id", "key")`,
    )
    this.addSql(
      `alter table "planned_source" add constraint "planned_source_order_id_foreign" foreign key ("order_id") references "work_order" ("id") on update cascade`,
    )
    this.addSql(
      `alter table "planned_source" add constraint "planned_source_source_id_foreign" foreign key ("source_id") references "source" ("id") on update cascade on delete set null`,
    )
    this.addSql(
      `create trigger announce after insert or update or delete on "planned_source" for each row execute function hematine_announce()`,
    )
  }
}
