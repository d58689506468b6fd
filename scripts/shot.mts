import { chromium } from '@playwright/test'
const b = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox','--disable-gpu','--disable-dev-shm-usage','--disable-quic','--no-first-run','--disable-background-networking','--disable-component-update','--disable-sync'] })
const p = await b.newPage({ viewport: { width: 1280, height: 800 }, baseURL: 'http://127.0.0.1:4180' })
p.on('console', m => { if (m.type() === 'error') console.log(m.text()) }); p.on('pageerror', e => console.log(e.message))
await p.goto('/intake?source=' + (process.argv[2] ?? '1'))
await p.waitForTimeout(2500)
await p.screenshot({ path: '/tmp/s1.png' })
const see = p.getByRole('button', { name: /^See:/ }).first()
if (await see.count()) { await see.click(); await p.waitForTimeout(2500); await p.screenshot({ path: '/tmp/s2.png' }); await p.keyboard.press('Escape') }
await b.close()
