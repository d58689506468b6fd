import path from 'node:path'
import sharp from 'sharp'

/** Numbers between 0 and 1 that are the same in every run (mulberry32). */
export function seeded(seed: number): () => number {
  let state = seed >>> 0
  return () => {
    state = (state + 0x6d2b79f5) >>> 0
    let value = Math.imul(state ^ (state >>> 15), 1 | state)
    value = (value + Math.imul(value ^ (value >>> 7), 61 | value)) ^ value
    return ((value ^ (value >>> 14)) >>> 0) / 4294967296
  }
}

interface Layer {
  name: string
  width: number
  height: number
  svg: string
}

/** Waves as short strokes, denser and longer towards the viewer. */
function waves(width: number, top: number, bottom: number, seed: number, colour: string): string {
  const random = seeded(seed)
  let strokes = ''
  for (let count = 0; count < 900; count++) {
    const depth = random() ** 0.7
    const y = top + depth * (bottom - top)
    const length = 8 + depth * 70
    const x = random() * width
    strokes += `<path d="M${x.toFixed(1)} ${y.toFixed(1)} q${(length / 2).toFixed(1)} ${(-2 - depth * 6).toFixed(1)} ${length.toFixed(1)} 0" stroke="${colour}" stroke-opacity="${(0.15 + depth * 0.5).toFixed(2)}" stroke-width="${(0.8 + depth * 2.4).toFixed(1)}" fill="none"/>`
  }
  return strokes
}

/** Rocks on the horizon. */
function skerries(width: number, horizon: number, seed: number): string {
  const random = seeded(seed)
  return Array.from({ length: 9 }, () => {
    const [x, size] = [random() * width, 40 + random() * 140]
    return `<path d="M${x} ${horizon + 4} l${size * 0.2} ${-size * 0.22} l${size * 0.25} ${size * 0.06} l${size * 0.3} ${-size * 0.12} l${size * 0.5} ${size * 0.3} z" fill="#2c3138"/>`
  }).join('')
}

function seascape(name: string, seed: number, sky: [string, string], sea: [string, string]): Layer {
  const [width, height, horizon] = [2400, 1080, 520]
  return {
    name,
    width,
    height,
    svg: `<defs><linearGradient id="s" x2="0" y2="1"><stop offset="0" stop-color="${sky[0]}"/><stop offset="1" stop-color="${sky[1]}"/></linearGradient>
      <linearGradient id="w" x2="0" y2="1"><stop offset="0" stop-color="${sea[0]}"/><stop offset="1" stop-color="${sea[1]}"/></linearGradient></defs>
      <rect width="${width}" height="${height}" fill="url(#s)"/><circle cx="1500" cy="300" r="60" fill="#fff2cf" opacity="0.85"/>
      <rect y="${horizon}" width="${width}" height="${height - horizon}" fill="url(#w)"/>${skerries(width, horizon, seed)}${waves(width, horizon + 8, height, seed + 1, '#dfe8ea')}`,
  }
}

/** A chart of a made-up harbour: depth lines, a compass rose and a grid. */
function chart(): Layer {
  const random = seeded(77)
  const [width, height] = [2400, 1080]
  let lines = ''
  for (let depth = 0; depth < 22; depth++) {
    let path = `M0 ${120 + depth * 42}`
    for (let x = 0; x <= width; x += 120)
      path += ` S${x - 60} ${120 + depth * 42 + (random() - 0.5) * 160} ${x} ${120 + depth * 42 + Math.sin(x / 260 + depth / 4) * 90}`
    lines += `<path d="${path}" stroke="#3f6f86" stroke-width="${depth % 5 === 0 ? 4 : 1.5}" fill="none" opacity="0.8"/>`
  }
  let grid = ''
  for (let x = 0; x < width; x += 200) grid += `<path d="M${x} 0V${height}" stroke="#7b6f58" stroke-width="1"/>`
  for (let y = 0; y < height; y += 180) grid += `<path d="M0 ${y}H${width}" stroke="#7b6f58" stroke-width="1"/>`
  const rose = Array.from(
    { length: 16 },
    (_, point) =>
      `<path d="M0 0L-14 -40L0 ${point % 4 === 0 ? -190 : -120}L14 -40z" transform="translate(1700 640) rotate(${point * 22.5})" fill="${point % 2 ? '#b4472e' : '#22313a'}"/>`,
  ).join('')
  return {
    name: 'chart',
    width,
    height,
    svg: `<rect width="${width}" height="${height}" fill="#e9dfc4"/>${grid}${lines}${rose}`,
  }
}

/** The lens of a lamp room: rings of glass in a brass frame. */
function lens(): Layer {
  const [width, height] = [2400, 1080]
  const rings = Array.from(
    { length: 26 },
    (_, ring) =>
      `<ellipse cx="1100" cy="540" rx="${520 - ring * 19}" ry="${500 - ring * 18}" fill="none" stroke="${ring % 2 ? '#d9c27c' : '#8fb9b0'}" stroke-width="${9 - ring * 0.22}"/>`,
  ).join('')
  const panes = Array.from(
    { length: 13 },
    (_, pane) => `<rect x="${pane * 200 - 20}" width="16" height="${height}" fill="#4a4034"/>`,
  ).join('')
  return {
    name: 'lens',
    width,
    height,
    svg: `<rect width="${width}" height="${height}" fill="#191b20"/>${panes}${rings}<circle cx="1100" cy="540" r="46" fill="#fff6d8"/>`,
  }
}

/** A keeper at a desk, drawn simply. */
function keeper(): Layer {
  const [width, height] = [2400, 1080]
  return {
    name: 'keeper',
    width,
    height,
    svg: `<rect width="${width}" height="${height}" fill="#39444a"/><rect y="860" width="${width}" height="220" fill="#5b4632"/>
      <path d="M780 1080 q40 -330 320 -340 q280 10 320 340z" fill="#26364d"/><ellipse cx="1100" cy="520" rx="170" ry="215" fill="#d9a983"/>
      <path d="M920 470 q180 -260 360 0 q-20 -190 -180 -200 q-170 10 -180 200z" fill="#2a2320"/><circle cx="1036" cy="505" r="17" fill="#221c18"/><circle cx="1164" cy="505" r="17" fill="#221c18"/>
      <path d="M1100 520 l-18 70 h34" stroke="#a8734f" stroke-width="8" fill="none"/><path d="M1030 640 q70 46 140 0" stroke="#8c3f33" stroke-width="12" fill="none"/>
      <rect x="1560" y="220" width="420" height="300" fill="#20262b" stroke="#8b7654" stroke-width="18"/><path d="M1580 480 l140 -160 l90 90 l70 -60 l80 130z" fill="#5f7f86"/>`,
  }
}

const layers: Layer[] = [
  seascape('dusk', 11, ['#26334d', '#c98a5e'], ['#39525c', '#0f1b22']),
  seascape('noon', 23, ['#7fa3b8', '#d8e0df'], ['#5f8790', '#1d3b45']),
  seascape('night', 31, ['#05070c', '#18202c'], ['#101a22', '#04070a']),
  chart(),
  lens(),
  keeper(),
  {
    name: 'lighthouse',
    width: 260,
    height: 720,
    svg: `<path d="M80 720 L104 150 h52 L180 720z" fill="#ece6da"/><path d="M97 330 h66 l5 90 h-76z M90 520 h80 l6 100 h-92z" fill="#b4472e"/><rect x="84" y="138" width="92" height="14" fill="#2b2b2b"/>
      <rect x="104" y="84" width="52" height="56" fill="#f7e6a6" stroke="#2b2b2b" stroke-width="6"/><path d="M96 84 L130 44 L164 84z" fill="#2b2b2b"/>`,
  },
  {
    name: 'boat',
    width: 300,
    height: 190,
    svg: `<path d="M14 120 h272 l-40 54 h-186z" fill="#31383d"/><rect x="90" y="70" width="100" height="52" fill="#e6e0d2"/><rect x="104" y="82" width="24" height="20" fill="#4f7f8f"/><rect x="146" y="82" width="24" height="20" fill="#4f7f8f"/>
      <path d="M206 120 V20" stroke="#6b5a41" stroke-width="7"/><path d="M210 24 L270 108 H210z" fill="#b4472e"/>`,
  },
  {
    name: 'buoy',
    width: 90,
    height: 150,
    svg: '<path d="M15 130 L34 50 h22 L75 130z" fill="#4e9a86"/><circle cx="45" cy="34" r="18" fill="#c58b2a"/><ellipse cx="45" cy="134" rx="40" ry="12" fill="#2b3a38"/>',
  },
  {
    name: 'beam',
    width: 1500,
    height: 420,
    svg: '<defs><linearGradient id="b"><stop offset="0" stop-color="#fff7d6" stop-opacity="0.75"/><stop offset="1" stop-color="#fff7d6" stop-opacity="0"/></linearGradient></defs><path d="M0 205 L1500 0 V420z" fill="url(#b)"/>',
  },
]

/** Draws every layer as a PNG into a directory. @returns the path of a layer by its name */
export async function paintLayers(directory: string): Promise<(name: string) => string> {
  await Promise.all(
    layers.map(layer =>
      sharp(
        Buffer.from(
          `<svg xmlns="http://www.w3.org/2000/svg" width="${layer.width}" height="${layer.height}">${layer.svg}</svg>`,
        ),
      )
        .png({ compressionLevel: 1 })
        .toFile(path.join(directory, `${layer.name}.png`)),
    ),
  )
  return name => path.join(directory, `${name}.png`)
}
