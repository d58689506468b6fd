import { HoursSetting } from '@hematine/core'

/** Hours that do not begin for two days or more, whatever the moment is. */
export function closedNow(): HoursSetting {
  const inThreeDays = new Date(Date.now() + 3 * 86_400_000).getUTCDay() || 7
  return HoursSetting.parse({
    hours: { zone: 'UTC', spans: [{ days: [inThreeDays], from: '08:00', to: '09:00' }] },
    workOnUntil: null,
  })
}

/** So many seconds from now, as a setting of hours says it. */
export const inSeconds = (seconds: number) => new Date(Date.now() + seconds * 1000).toISOString()
