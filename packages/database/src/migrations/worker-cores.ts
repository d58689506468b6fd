import { Migration } from '@mikro-orm/migrations'

/** Cores of the machine that a worker is on: its lanes share them. */
export class WorkerCores extends Migration {
  override up(): void {
    this.addSql(`alter table "worker" add column "cores" int null`)
  }
}
