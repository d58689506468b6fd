import { Migration } from '@mikro-orm/migrations'

/** Curves keep pictures of one frame at each of their qualities, in a volume. */
export class CurvePictures extends Migration {
  override up(): void {
    this.addSql(`alter table "curve" add column "volume_id" int null, add column "picture_run" int null`)
    this.addSql(
      `alter table "curve" add constraint "curve_volume_id_foreign" foreign key ("volume_id") references "volume" ("id") on update cascade on delete set null`,
    )
  }
}
