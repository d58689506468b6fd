import { createRequire } from 'node:module'
import { quoteOption } from '@hematine/media/treating/font'

const font = createRequire(import.meta.url).resolve(
  '@fontsource/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-600-normal.woff',
)

export type SceneName = 'dusk' | 'noon' | 'night' | 'chart' | 'lens' | 'keeper'

export interface Scene {
  name: SceneName
  seconds: number
  /** Text of a slate line in the lower third, or none. */
  title?: string
}

/** How a story is drawn: wide, at a number of lines. */
export interface Stage {
  /** A small picture made of a large one has the sharp edges that show its blocks; a large one is drawn at its own size. */
  lines: 1080 | 720
  /** Frames a second as the libraries write it. */
  rate: string
  /** Luma and chroma of the result. */
  matrix?: 'bt709' | 'smpte170m'
}

/**
 * Filters that draw a scene of moving layers, ending in a label. Places are those at 1080 lines.
 * @param at index of the scene, for labels and variety
 */
function sceneFilters(scene: Scene, layer: (name: string) => string, stage: Stage, at: number): string {
  const { lines, rate, matrix = 'smpte170m' } = stage
  const whole = (length: number) => Math.round((length * lines) / 1080)
  const [width, height] = [whole(1920), lines]
  const length = (expression: string) => (lines === 1080 ? `'${expression}'` : `'(${expression})*${lines}/1080'`)
  const place = (x: string, y: string) => `x=${length(x)}:y=${length(y)}`
  const size = lines === 1080 ? '' : `w=iw*${lines}/1080:h=ih*${lines}/1080:flags=area:`
  // Layers are RGB in full range; the range and matrix of the result are chosen here, not left to negotiation.
  const movie = (name: string, format = 'yuva420p') =>
    `movie=${quoteOption(layer(name))},scale=${size}out_range=tv:out_color_matrix=${matrix},format=${format}`
  const parts = [
    `color=c=black:s=${width}x${height}:r=${rate}:d=${scene.seconds},format=yuv420p,setparams=range=tv:colorspace=${matrix}[c${at}]`,
    `${movie(scene.name, 'yuv420p')}[g${at}]`,
    `[c${at}][g${at}]overlay=${place(at % 2 === 0 ? '-20-34*t' : '-440+34*t', '0')}[a${at}]`,
  ]
  let last = `a${at}`
  const over = (name: string, x: string, y: string, when = '') => {
    const label = `${name}${at}`
    parts.push(`${movie(name)}[m${label}]`, `[${last}][m${label}]overlay=${place(x, y)}${when}[${label}]`)
    last = label
  }
  if (scene.name === 'dusk' || scene.name === 'noon' || scene.name === 'night') {
    over('lighthouse', '260', '150')
    if (scene.name !== 'noon') over('beam', '390+30*sin(t*2)', '65+40*sin(t*1.3)', `:enable='lt(mod(t,5),2.2)'`)
    over('boat', '1700-110*t', '600+9*sin(t*3.1)')
    over('buoy', '1240+6*sin(t*1.7)', '720+12*sin(t*2.3)')
  } else if (scene.name === 'chart') {
    over('boat', '200+95*t', '420+60*sin(t*0.9)')
  } else if (scene.name === 'lens') {
    over('beam', '1000+60*sin(t*2)', '330+70*sin(t*1.1)')
  }
  if (scene.title) {
    parts.push(
      `[${last}]drawbox=x=0:y=${whole(920)}:w=${width}:h=${whole(110)}:color=black@0.55:t=fill,drawtext=fontfile=${quoteOption(font)}:text=${quoteOption(scene.title)}:fontcolor=0xE8E6E3:fontsize=${whole(56)}:x=${whole(90)}:y=${whole(946)}[t${at}]`,
    )
    last = `t${at}`
  }
  return parts.join(';') + `;[${last}]null[s${at}]`
}

/** Filters that draw several scenes with hard cuts between them, then `finish` (a filter list without labels). */
export function storyFilters(scenes: Scene[], layer: (name: string) => string, stage: Stage, finish: string): string {
  const drawn = scenes.map((scene, index) => sceneFilters(scene, layer, stage, index)).join(';')
  const inputs = scenes.map((_, index) => `[s${index}]`).join('')
  return `${drawn};${inputs}concat=n=${scenes.length}:v=1:a=0,${finish}`
}

/** Sound of a fog signal: a low tone in blasts, with wind. */
export function fogSignal(seconds: number, pitch: number, sampleRate = 48_000): string {
  return `aevalsrc='0.35*sin(2*PI*${pitch}*t)*lt(mod(t,4),1.6)+0.08*sin(2*PI*${pitch * 3}*t)*lt(mod(t,4),1.6)|0.3*sin(2*PI*${pitch * 1.01}*t)*lt(mod(t+0.1,4),1.6)':s=${sampleRate}:d=${seconds},aformat=channel_layouts=stereo`
}
