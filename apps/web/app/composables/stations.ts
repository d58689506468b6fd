import {
  mdiArchiveCheckOutline,
  mdiBookOpenVariant,
  mdiCogPlayOutline,
  mdiScaleBalance,
  mdiServerOutline,
  mdiTrayArrowDown,
  mdiTuneVariant,
} from '@mdi/js'

export interface Station {
  path: string
  name: string
  icon: string
  key: string
  /** Below the line: not part of the order's way through the shop. */
  aside: boolean
}

/** Stations in working order, then what stands beside them. */
export const stations: readonly Station[] = [
  { path: '/intake', name: 'Intake', icon: mdiTrayArrowDown, key: '1', aside: false },
  { path: '/bench', name: 'Bench', icon: mdiTuneVariant, key: '2', aside: false },
  { path: '/balance', name: 'Balance', icon: mdiScaleBalance, key: '3', aside: false },
  { path: '/shift', name: 'Shift', icon: mdiCogPlayOutline, key: '4', aside: false },
  { path: '/handover', name: 'Handover', icon: mdiArchiveCheckOutline, key: '5', aside: false },
  { path: '/equipment', name: 'Equipment', icon: mdiServerOutline, key: '6', aside: true },
  { path: '/library', name: 'Library', icon: mdiBookOpenVariant, key: '7', aside: true },
]
