/** Numbers of the tags in ITU-T H.273, which the libraries use as they are. */
export const colourNumbers = {
  primaries: { bt709: 1, bt470m: 4, bt470bg: 5, smpte170m: 6, smpte240m: 7, bt2020: 9 } as Record<string, number>,
  transfer: {
    bt709: 1,
    gamma22: 4,
    gamma28: 5,
    smpte170m: 6,
    smpte240m: 7,
    linear: 8,
    'iec61966-2-1': 13,
    'bt2020-10': 14,
    'bt2020-12': 15,
    smpte2084: 16,
    'arib-std-b67': 18,
  } as Record<string, number>,
  matrix: { gbr: 0, bt709: 1, fcc: 4, bt470bg: 5, smpte170m: 6, smpte240m: 7, bt2020nc: 9, bt2020c: 10 } as Record<
    string,
    number
  >,
}
