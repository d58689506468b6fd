import { Migration } from '@mikro-orm/migrations'

/** Lanes that a person gave a worker: they outlast its process. */
export class LaneChoices extends Migration {
  override up(): void {
    this.addSql(
      `create table "lane_choice" ("host" text not null, "name" text not null, "lanes" int not null, primary key ("host", "name"))`,
    )
  }
}
