import { Migration } from '@mikro-orm/migrations'

/** Treatments of the library, the one that each lot has, moments of sources, and trials. */
export class Bench extends Migration {
  override up(): void {
    this.addSql(
      `create table "treatment" ("id" serial primary key, "name" text not null, "version" int not null, "steps" jsonb not null, "created_at" timestamptz not null default now())`,
    )
    this.addSql(`alter table "treatment" add constraint "treatment_name_version_unique" unique ("name", "version")`)
    this.addSql(`alter table "lot" add column "treatment_id" int null`)
    this.addSql(`create index "lot_treatment_id_index" on "lot" ("treatment_id")`)
    this.addSql(
      `alter table "lot" add constraint "lot_treatment_id_foreign" foreign key ("treatment_id") references "treatment" ("id") on update cascade on delete set null`,
    )
    this.addSql(`alter table "job" add column "treatment_name" text null`)
    this.addSql(`alter table "source" add column "moments" jsonb null`)
    this.addSql(
      `create table "trial" ("id" serial primary key, "order_id" int not null, "lot_id" int null, "source_id" int not null, "volume_id" int not null, "label" text not null, "steps" jsonb not null, "treatment" jsonb not null, "spec" jsonb not null, "moments" jsonb not null, "results" jsonb not null, "looks" int not null default 0, "state" text not null, "reason" text null, "created_at" timestamptz not null default now())`,
    )
    this.addSql(`create index "trial_lot_id_index" on "trial" ("lot_id")`)
    this.addSql(`create index "trial_source_id_index" on "trial" ("source_id")`)
    this.addSql(
      `alter table "trial" add constraint "trial_order_id_foreign" foreign key ("order_id") references "work_order" ("id") on update cascade`,
    )
    this.addSql(
      `alter table "trial" add constraint "trial_lot_id_foreign" foreign key ("lot_id") references "lot" ("id") on update cascade on delete set null`,
    )
    this.addSql(
      `alter table "trial" add constraint "trial_source_id_foreign" foreign key ("source_id") references "source" ("id") on update cascade on delete cascade`,
    )
    this.addSql(
      `alter table "trial" add constraint "trial_volume_id_foreign" foreign key ("volume_id") references "volume" ("id") on update cascade`,
    )
    for (const table of ['treatment', 'trial'])
      this.addSql(
        `create trigger announce after insert or update or delete on "${table}" for each row execute function hematine_announce()`,
      )
  }
}
