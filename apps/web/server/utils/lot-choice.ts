/** A request's lot as the database wants it: a number, null for "none", or absent. */
export function lotOf<Query extends { lotId?: number | 'none' | undefined }>(
  query: Query,
): Omit<Query, 'lotId'> & { lotId?: number | null } {
  const { lotId, ...rest } = query
  return lotId === undefined ? rest : { ...rest, lotId: lotId === 'none' ? null : lotId }
}
