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

/**
 * Filters that draw a scene of moving layers at 1920x1080, ending in a label.
 * @param rate frames a second as the libraries write it
 * @param at index of the scene, for labels and variety
 * @param matrix luma and chroma of the result
 */
function sceneFilters(scene: Scene, layer: (name: string) => string, rate: string, at: number, matrix: string): string {
  // Layers are RGB in full range; the range and matrix of the result are chosen here, not left to negotiation.
  const movie = (name: string, format = 'yuva420p') =>
    `movie=${quoteOption(layer(name))},scale=out_range=tv:out_color_matrix=${matrix},format=${format}`
  const drift = at % 2 === 0 ? `x='-20-34*t'` : `x='-440+34*t'`
  const parts = [
    `color=c=black:s=1920x1080:r=${rate}:d=${scene.seconds},format=yuv420p,setparams=range=tv:colorspace=${matrix}[c${at}]`,
    `${movie(scene.name, 'yuv420p')}[g${at}]`,
    `[c${at}][g${at}]overlay=${drift}:y=0[a${at}]`,
  ]
  let last = `a${at}`
  const over = (name: string, expression: string) => {
    const label = `${name}${at}`
    parts.push(`${movie(name)}[m${label}]`, `[${last}][m${label}]overlay=${expression}[${label}]`)
    last = label
  }
  if (scene.name === 'dusk' || scene.name === 'noon' || scene.name === 'night') {
    over('lighthouse', `x=260:y=150`)
    if (scene.name !== 'noon') over('beam', `x='390+30*sin(t*2)':y='65+40*sin(t*1.3)':enable='lt(mod(t,5),2.2)'`)
    over('boat', `x='1700-110*t':y='600+9*sin(t*3.1)'`)
    over('buoy', `x='1240+6*sin(t*1.7)':y='720+12*sin(t*2.3)'`)
  } else if (scene.name === 'chart') {
    over('boat', `x='200+95*t':y='420+60*sin(t*0.9)'`)
  } else if (scene.name === 'lens') {
    over('beam', `x='1000+60*sin(t*2)':y='330+70*sin(t*1.1)'`)
  }
  if (scene.title) {
    parts.push(
      `[${last}]drawbox=x=0:y=920:w=1920:h=110:color=black@0.55:t=fill,drawtext=fontfile=${quoteOption(font)}:text=${quoteOption(scene.title)}:fontcolor=0xE8E6E3:fontsize=56:x=90:y=946[t${at}]`,
    )
    last = `t${at}`
  }
  return parts.join(';') + `;[${last}]null[s${at}]`
}

/** Filters that draw several scenes with hard cuts between them, then `finish` (a filter list without labels). */
export function storyFilters(
  scenes: Scene[],
  layer: (name: string) => string,
  rate: string,
  finish: string,
  matrix: 'bt709' | 'smpte170m' = 'smpte170m',
): string {
  const drawn = scenes.map((scene, index) => sceneFilters(scene, layer, rate, index, matrix)).join(';')
  const inputs = scenes.map((_, index) => `[s${index}]`).join('')
  return `${drawn};${inputs}concat=n=${scenes.length}:v=1:a=0,${finish}`
}

/** Sound of a fog signal: a low tone in blasts, with wind. */
export function fogSignal(seconds: number, pitch: number, sampleRate = 48_000): string {
  return `aevalsrc='0.35*sin(2*PI*${pitch}*t)*lt(mod(t,4),1.6)+0.08*sin(2*PI*${pitch * 3}*t)*lt(mod(t,4),1.6)|0.3*sin(2*PI*${pitch * 1.01}*t)*lt(mod(t+0.1,4),1.6)':s=${sampleRate}:d=${seconds},aformat=channel_layouts=stereo`
}
