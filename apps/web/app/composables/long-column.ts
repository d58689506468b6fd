/** A column of a long table. */
export interface LongColumn<Sort extends string = string> {
  key: string
  name: string
  /** Track of the grid. */
  width: string
  /** What a click on its head sorts by; null where it cannot. */
  sort: Sort | null
  end?: boolean
}
