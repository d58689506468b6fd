import { createHash } from 'node:crypto'
import { readdirSync } from 'node:fs'
import path from 'node:path'
import { seeded } from '@hematine/demo/paint'
import sharp from 'sharp'

/** A picture in red, green and blue, 8 bit, line after line. */
export interface Picture { name: string, width: number, height: number, data: Buffer }

export type PictureKind = 'photographs' | 'rendered' | 'drawn'
export type PictureSet = 'training' | 'judging'

const wallpapers = 'plasma-workspace-wallpapers/usr/share/wallpapers'
/** Photographs, by package; packages of the judging set are used for nothing else. */
const photographs: Record<PictureSet, string[]> = {
  training: [
    ...['Autumn', 'BytheWater', 'ColdRipple', 'ColorfulCups', 'DarkestHour', 'EveningGlow', 'FallenLeaf', 'Grey', 'Kite', 'OneStandsOut', 'Path', 'summer_1am'].map(name => `${wallpapers}/${name}/contents/images/2560x1600.jpg`),
    `${wallpapers}/SafeLanding/contents/images/5120x2880.jpg`,
    ...['Aqua', 'Blinds', 'Dune', 'FreshFlower', 'Garden', 'GreenMeadow', 'LadyBird', 'RainDrops', 'Storm', 'TwoWings', 'Wood', 'YellowFlower'].map(name => `mate-backgrounds/usr/share/backgrounds/mate/nature/${name}.jpg`),
    ...['astronaut.png', 'chelsea.png', 'coffee.png', 'motorcycle_left.png', 'rocket.jpg', 'hubble_deep_field.jpg'].map(name => `python3-skimage/usr/lib/python3/dist-packages/skimage/data/${name}`),
  ],
  judging: [
    ...['Bridge_by_Sander_Klootwijk', 'Dragonfly_by_Bolly', 'Wine_by_Jakkub_Mede', 'aitzgorri_by_Aitzol_Berasategi', 'analogpattern_by_Peter_Nerlich', 'free_by_Peter_Nerlich', 'friends_by_Aitzol_Berasategi', 'greentock_by_Peter_Nerlich', 'life_by_Aitzol_Berasategi',
      'picosdeeuropa_by_Aitzol_Berasategi', 'seeding_by_Clements_Engelhardt', 'sunset_by_Aitzol_Berasategi'].map(name => `lomiri-wallpapers-16.04/usr/share/backgrounds/${name}.jpg`),
    'lomiri-wallpapers-20.04/usr/share/backgrounds/Kleiber_by_Lukas_Baubkus.jpg',
  ],
}

/** Smooth shapes and shades made by a computer, without grain. They are trained on beside the photographs, and judged apart. */
const rendered: Record<PictureSet, string[]> = {
  training: ['2004default.jpg', 'calla.png', 'firstgeneration.jpg', 'focal-ubuntukylin.png', 'goldfish.png', 'rhythm.jpg', 'rollpaper.png', 'string.jpg', 'the-mouse.jpg'].map(name => `ukui-wallpapers/usr/share/backgrounds/${name}`),
  judging: ['lomiri-wallpapers-16.04/usr/share/backgrounds/umang_by_Abhishek_Mudgal.jpg', 'lomiri-wallpapers-20.04/usr/share/backgrounds/Fossa_by_Jasper_Roks.jpg'],
}

const clipart = 'openclipart-svg/usr/share/openclipart/svg'
/** Folders of drawings, public domain; those of the judging set are used for nothing else. */
const drawings: Record<PictureSet, { folders: string[], count: number }> = {
  training: { folders: ['animals', 'buildings', 'computer', 'decorations', 'education', 'food', 'people', 'signs_and_symbols', 'tools'], count: 420 },
  judging: { folders: ['geography', 'plants', 'transportation', 'recreation'], count: 16 },
}

/** Long side of the pictures: reduced to it they are sharp to the pixel, which camera files at full size are not. */
const longSide = { photographs: 1280, drawn: 768 }
/** For training, photographs come smaller as well: what was fine becomes finer. */
const smallerSide = 900

/** Pictures of a kind and set, one after another. */
export async function* picturesOf(directory: string, kind: PictureKind, set: PictureSet): AsyncGenerator<Picture> {
  if (kind !== 'drawn') {
    const files = kind === 'rendered' ? rendered[set] : set === 'training' ? [...photographs[set], ...rendered[set]] : photographs[set]
    for (const file of files) for (const side of set === 'training' ? [longSide.photographs, smallerSide] : [longSide.photographs]) yield await load(path.join(directory, file), path.basename(file), side)
    return
  }
  const { folders, count } = drawings[set]
  const files = folders.flatMap(folder => readdirSync(path.join(directory, clipart, folder), { recursive: true, encoding: 'utf8' }).filter(name => name.endsWith('.svg')).map(name => path.join(folder, name)))
  // The order of the hashes is a fixed shuffle.
  const order = files.map(file => ({ file, rank: createHash('sha256').update(file).digest('hex') })).sort((a, b) => a.rank.localeCompare(b.rank))
  let found = 0
  for (const [index, { file }] of order.entries()) {
    if (found === count) return
    const drawn = await draw(path.join(directory, clipart, file), index)
    if (!drawn) continue
    found++
    yield drawn
  }
}

async function load(file: string, name: string, side: number): Promise<Picture> {
  const { data, info } = await sharp(file).rotate().flatten().resize({ width: side, height: side, fit: 'inside', withoutEnlargement: true, kernel: 'lanczos3' }).toColourspace('srgb').removeAlpha().raw().toBuffer({ resolveWithObject: true })
  return { name, width: info.width, height: info.height, data }
}

/** A drawing on a ground of some colour; null for what the renderer cannot draw or what is nearly empty. */
async function draw(file: string, seed: number): Promise<Picture | null> {
  const random = seeded(seed)
  const background = { r: Math.round(random() * 255), g: Math.round(random() * 255), b: Math.round(random() * 255) }
  try {
    const { width = 0, height = 0 } = await sharp(file).metadata()
    const density = Math.min(1200, Math.max(10, (72 * longSide.drawn) / Math.max(width, height)))
    const { data, info } = await sharp(file, { density, limitInputPixels: 4e7 }).resize({ width: longSide.drawn, height: longSide.drawn, fit: 'inside', kernel: 'lanczos3' }).flatten({ background }).toColourspace('srgb').removeAlpha().raw().toBuffer({ resolveWithObject: true })
    if (info.channels !== 3 || Math.min(info.width, info.height) < 256) return null
    const { entropy } = await sharp(data, { raw: { width: info.width, height: info.height, channels: 3 } }).stats()
    return entropy < 1 ? null : { name: path.basename(file), width: info.width, height: info.height, data }
  } catch {
    return null
  }
}
