import { Frame } from 'node-av/lib'
import { Graph } from '../packages/media/src/graph.ts'
import { silenceLibraries } from '../packages/media/src/index.ts'
silenceLibraries()
const dir = '.hematine/pictures/lomiri-wallpapers-16.04/usr/share/backgrounds/'
const contents: Record<string, string> = {
  bridge: `movie=${dir}Bridge_by_Sander_Klootwijk.jpg,scale=720:-2:flags=area,crop=720:400`,
  fossa: `movie=.hematine/pictures/lomiri-wallpapers-20.04/usr/share/backgrounds/Fossa_by_Jasper_Roks.jpg,scale=720:-2:flags=area,crop=720:400`,
  picos: `movie=${dir}picosdeeuropa_by_Aitzol_Berasategi.jpg,scale=720:-2:flags=area,crop=720:400`,
  test: `testsrc2=s=720x400,trim=end_frame=1`,
  drawn: `mandelbrot=s=1440x800:start_scale=0.8,trim=end_frame=1,scale=720:400:flags=area`,
}
async function run(graph: string, frames = 1): Promise<Uint8Array[]> {
  const g = await Graph.video(graph, [])
  const f = new Frame(); f.alloc()
  const out: Uint8Array[] = []
  while (out.length < frames && await g.pull(f) === 'frame') {
    const d = new Uint8Array(f.width * f.height)
    for (let y = 0; y < f.height; y++) d.set(f.data![0]!.subarray(y * f.linesize[0]!, y * f.linesize[0]! + f.width), y * f.width)
    out.push(d); f.unref()
  }
  f.free(); g.free()
  return out
}
const psnr = (a: Uint8Array, b: Uint8Array) => { let s = 0; for (let i = 0; i < a.length; i++) s += (a[i]! - b[i]!) ** 2; return 10 * Math.log10(255 * 255 / (s / a.length + 1e-9)) }
async function trial(name: string, fault: string, fixes: Record<string, string>, clean = true, pre = '') {
  for (const [c, src] of Object.entries(contents)) {
    const base = `${src},format=yuv420p,setsar=1`
    const [truth] = await run(`${base}${pre}`)
    const [bad] = await run(`${base},${fault},format=yuv420p`)
    let line = `${name} ${c}: fault ${psnr(truth!, bad!).toFixed(2)}`
    for (const [f, fix] of Object.entries(fixes)) {
      const t = performance.now()
      const [good] = await run(`${base},${fault},format=yuv420p,${fix}`)
      const ms = performance.now() - t
      const [onClean] = clean ? await run(`${base},${fix}`) : [truth]
      line += ` | ${f} ${psnr(truth!, good!).toFixed(2)} (clean ${psnr(truth!, onClean!).toFixed(1)}, ${ms.toFixed(0)} ms)`
    }
    console.log(line)
  }
}
const which = process.argv[2]
if (which === 'unblur') {
  const rl = (sigma: number, k: number) => {
    let g = `format=yuv420p16,split=${k + 2}[y0][y1]${Array.from({ length: k }, (_, i) => `[y${i + 2}]`).join('')};`
    let cur = '[y0]'
    for (let i = 0; i < k; i++) { g += `${cur}split[a${i}][b${i}];[b${i}]gblur=sigma=${sigma}:planes=1[g${i}];[a${i}][y${i + 1}][g${i}]mix=inputs=3:weights='1 1 -1':scale=1:planes=1${i < k - 1 ? `[x${i}];` : ''}`; cur = `[x${i}]` }
    return (g.replace(`[y${k + 1}]`, '').replace(`split=${k + 2}`, `split=${k + 1}`)) + ',format=yuv420p'
  }
  for (const s of [0.8, 1.2, 2]) await trial(`blur ${s}`, `gblur=sigma=${s}`, { k2: rl(s, 2), k4: rl(s, 4), k8: rl(s, 8), cas: 'cas=strength=0.9', unsharp: 'unsharp=5:5:1.5' })
  for (const s of [1.2]) await trial(`blur+noise ${s}`, `gblur=sigma=${s},noise=alls=4:all_seed=3`, { k2: rl(s, 2), k4: rl(s, 4), k8: rl(s, 8) })
}
if (which === 'aa') {
  const aa = (m: string, rounds = 1) => Array.from({ length: rounds }, (_, r) => `split=2[t${r}][u${r}];[t${r}]setfield=tff,${m}:parity=tff[v${r}];[u${r}]setfield=bff,${m}:parity=bff[w${r}];[v${r}][w${r}]blend=all_mode=average`).join(',transpose=0,') + (rounds === 2 ? ',transpose=0' : '')
  const fixes = { est: aa('estdif=mode=frame'), est2: aa('estdif=mode=frame', 2), esth: aa('estdif=mode=frame:rslope=2:redge=3:interp=6p', 2), gb: 'gblur=sigma=0.5', xbr: 'xbr=2,scale=iw/2:ih/2:flags=area', sai: 'super2xsai,scale=iw/2:ih/2:flags=area' }
  await trial('aliased', 'scale=iw/2:ih/2:flags=neighbor,scale=iw*2:ih*2:flags=neighbor', fixes)
  await trial('woven', 'scale=iw:ih/2:flags=neighbor,scale=iw:ih*2:flags=neighbor', fixes)
}
if (which === 'halo') {
  const halo = (r: number, over: number, limit = 0) => `split=4[p0][p1][p2][p3];[p1]median=radius=${r}:planes=1,split[m1][m2];[m1]erosion[d];[m2]dilation[u];[p0][d][u]maskedclamp=undershoot=${over}:overshoot=${over}:planes=1[c];[p2]sobel=planes=1:scale=0.6,dilation,dilation,gblur=1.5:planes=1[k];[p3][c][k]maskedmerge=planes=1`
  await trial('halo', 'unsharp=7:7:2:7:7:0', { h2: halo(2, 2), h3: halo(3, 2), h3o6: halo(3, 6), h4: halo(4, 2), blur: 'gblur=0.7' })
}
