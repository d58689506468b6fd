import type { EntityManager } from '@mikro-orm/postgresql'

/** Runs a statement within the transaction of `em`. */
export function run<Row>(em: EntityManager, sql: string, parameters: readonly unknown[] = []): Promise<Row[]> {
  return em.getConnection().execute<Row[]>(sql, [...parameters], 'all', em.getTransactionContext())
}

/** Whole numbers as one parameter of a statement. */
export function asArray(numbers: readonly number[]): string {
  return `{${numbers.join(',')}}`
}
