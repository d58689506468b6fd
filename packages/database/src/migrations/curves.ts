import { Migration } from '@mikro-orm/migrations'

/** Curves of rate and quality, each of what a sample was measured of. */
export class Curves extends Migration {
  override up(): void {
    this.addSql(
      `create table "curve" ("id" serial primary key, "sample_id" int not null, "state" text not null, "run" int not null default 0, "part" double precision null, "measurement" jsonb null, "reason" text null)`,
    )
    this.addSql(`alter table "curve" add constraint "curve_sample_id_unique" unique ("sample_id")`)
    this.addSql(
      `alter table "curve" add constraint "curve_sample_id_foreign" foreign key ("sample_id") references "sample" ("id") on update cascade on delete cascade`,
    )
    this.addSql(
      `create trigger announce after insert or update or delete on "curve" for each row execute function hematine_announce()`,
    )
  }
}
