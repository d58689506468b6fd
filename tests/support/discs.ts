import { mkdir, writeFile } from 'node:fs/promises'
import path from 'node:path'
import { sectorBytes } from '@hematine/core'
import { writeClip } from '../../packages/demo/src/write-clip.ts'
import { runProgram } from './programs.ts'
import { managerTable, titleSetTable, type TitleSetPlan } from '../../packages/demo/src/disc/tables.ts'

/** A program stream as authoring programs take it. @param tracks filters of its sound */
export async function writeProgramStream(file: string, filters: string, tracks: readonly string[]): Promise<void> {
  await writeClip({
    path: file,
    format: 'dvd',
    formatOptions: { muxrate: '10080000', packetsize: '2048' },
    video: {
      encoder: 'mpeg2video',
      bitRate: 4_000_000,
      keyframeDistance: 12,
      options: { maxrate: '8000000', bufsize: '1835008' },
      filters,
    },
    audio: tracks.map(track => ({
      encoder: 'ac3',
      bitRate: 192_000,
      filters: `${track},aformat=sample_fmts=fltp:channel_layouts=stereo`,
    })),
  })
}

/**
 * A disc folder of tables only: its VOB file holds noughts.
 * @param titles length of each in seconds, and the name of the cell of ten sectors that it plays
 * @param vobSectors sectors that are there; all that the cells need unless said
 */
export async function writeEmptyDisc(
  directory: string,
  titles: readonly [seconds: number, cell: string][],
  vobSectors?: number,
): Promise<void> {
  const cells = [...new Set(titles.map(([, cell]) => cell))]
  const plan: TitleSetPlan = {
    standard: 'PAL',
    aspect: '4:3',
    audio: [],
    subtitles: [],
    addresses: [],
    units: [0],
    titles: titles.map(([seconds, cell]) => {
      const firstSector = cells.indexOf(cell) * 10
      return {
        chapters: [0],
        cells: [
          {
            vobId: 1,
            cellId: 1,
            frames: seconds * 25,
            firstSector,
            lastUnitSector: firstSector,
            lastSector: firstSector + 9,
          },
        ],
      }
    }),
  }
  const inner = path.join(directory, 'VIDEO_TS')
  await mkdir(inner, { recursive: true })
  await writeFile(path.join(inner, 'VIDEO_TS.IFO'), managerTable([plan]))
  await writeFile(path.join(inner, 'VTS_01_0.IFO'), titleSetTable(plan))
  await writeFile(path.join(inner, 'VTS_01_1.VOB'), Buffer.alloc((vobSectors ?? cells.length * 10) * sectorBytes))
}

/** A disc of one title, as an authoring program makes it of a program stream. @param tracks filters of its sound */
export async function writeAuthoredDisc(directory: string, filters: string, tracks: readonly string[]): Promise<void> {
  const [stream, plan] = [`${directory}.mpg`, `${directory}.xml`]
  await writeProgramStream(stream, filters, tracks)
  await mkdir(directory)
  await writeFile(
    plan,
    `<dvdauthor dest="${directory}"><vmgm/><titleset><titles><video format="pal" aspect="16:9"/>${tracks.map(() => '<audio lang="en"/>').join('')}<pgc><vob file="${stream}"/></pgc></titles></titleset></dvdauthor>`,
  )
  runProgram('dvdauthor', ['-x', plan], { VIDEO_FORMAT: 'PAL' })
}
