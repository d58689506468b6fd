import { Migration } from '@mikro-orm/migrations'

/** Comparisons of the treated frames of two samples, and announced material that is planned to be done like a draft. */
export class Comparisons extends Migration {
  override up(): void {
    this.addSql(
      `create table "comparison" ("id" serial primary key, "sample_id" int not null, "reference_id" int not null, "state" text not null, "run" int not null default 0, "part" double precision null, "likeness" jsonb null, "reason" text null)`,
    )
    this.addSql(
      `alter table "comparison" add constraint "comparison_sample_id_reference_id_unique" unique ("sample_id", "reference_id")`,
    )
    for (const column of ['sample_id', 'reference_id'])
      this.addSql(
        `alter table "comparison" add constraint "comparison_${column}_foreign" foreign key ("${column}") references "sample" ("id") on update cascade on delete cascade`,
      )
    this.addSql(
      `create trigger announce after insert or update or delete on "comparison" for each row execute function hematine_announce()`,
    )
    this.addSql(`alter table "planned_source" add column "sample_id" int null`)
    this.addSql(
      `alter table "planned_source" add constraint "planned_source_sample_id_foreign" foreign key ("sample_id") references "sample" ("id") on update cascade on delete set null`,
    )
    this.addSql(`create index "planned_source_sample_id_index" on "planned_source" ("sample_id")`)
  }
}
