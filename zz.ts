import pg from 'pg'
import { readFileSync } from 'node:fs'
import { announcedExtent, forecastAnnounced, forecastJob, toNumber } from './packages/core/src/index.ts'
const c=new pg.Client({connectionString:readFileSync(process.argv[2]!,'utf8').trim()}); await c.connect()
const {rows}=await c.query(`select sample.spec, sample.extent, sample.measurement, source.id as sid, source.lot_id as lot, source.facts, source.relative_path as name from sample join source on source.id=sample.source_id where sample.state='ready' and sample.extent is not null`)
let n=0,inT=0,inB=0; const relT:number[]=[],relB:number[]=[]
for (const r of rows){
  const v=r.facts.video; if(!v) continue
  const scan=(s:any)=>s.facts.video? (s.facts.video.scan.kind==='progressive'?'progressive':'interlaced'):null
  const known=rows.filter(o=>o.spec.key===r.spec.key&&o.sid!==r.sid&&(process.argv[3]!=='lots'||o.lot!==r.lot)).map(o=>({extent:o.extent,measurement:o.measurement,forecast:forecastJob(o.measurement,o.extent),scan:scan(o)}))
  const planned={name:'x',carrier:null,seconds:r.facts.durationSeconds,width:v.width,height:v.height,framesPerSecond:toNumber(v.frameRate),scan:scan(r),codec:null,bytes:null,notes:null}
  const ext=announcedExtent(planned as any,r.spec); if(!ext){console.log('no extent',r.name);continue}
  const f=forecastAnnounced(planned as any,ext,r.spec,known as any); if(!f){continue}
  const own=forecastJob(r.measurement,r.extent)
  n++; const t=own.seconds.expected,b=own.bytes.expected
  if(t>=f.seconds.low&&t<=f.seconds.high)inT++; if(b>=f.bytes.low&&b<=f.bytes.high)inB++
  relT.push(t/f.seconds.expected);relB.push(b/f.bytes.expected)
  if(process.argv[4])console.log(r.name.slice(-24).padEnd(24),r.spec.key.padEnd(14),known.length,'t',t.toFixed(1),f.seconds.expected.toFixed(1),'['+f.seconds.low.toFixed(1)+'-'+f.seconds.high.toFixed(1)+']','MB',(b/1e6).toFixed(2),(f.bytes.expected/1e6).toFixed(2),'['+(f.bytes.low/1e6).toFixed(2)+'-'+(f.bytes.high/1e6).toFixed(2)+']','ext',r.extent.pixels,ext.pixels)
}
const med=(a:number[])=>a.map(x=>Math.abs(Math.log(x))).sort((x,y)=>x-y)[Math.floor(a.length/2)]
console.log(n,'time in',inT/n,'size in',inB/n,'median off x',Math.exp(med(relT)!).toFixed(2),Math.exp(med(relB)!).toFixed(2))
await c.end()
