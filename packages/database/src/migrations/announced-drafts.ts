import { Migration } from '@mikro-orm/migrations'

/** A draft that is worked out anew is announced as what it is, and not as progress, which pages may look at later. */
export class AnnouncedDrafts extends Migration {
  override up(): void {
    this.addSql(`
      create or replace function hematine_announce() returns trigger language plpgsql as $$
      begin
        if tg_table_name = 'job' and tg_op = 'UPDATE' then
          -- Progress comes twice a second; workers do not look for work because of it.
          if new.state = old.state and new.position = old.position and new.worker_id is not distinct from old.worker_id
              and new.sample_id is not distinct from old.sample_id and new.state <> 'draft' then
            perform pg_notify('hematine_change', 'job:' || new.id::text || ':progress');
            return null;
          end if;
        end if;
        perform pg_notify('hematine_change', tg_table_name || ':' || coalesce(new.id, old.id)::text);
        return null;
      end $$`)
  }
}
