import type { Page } from '@playwright/test'

/** Opens closed lots of a page's long table, from the last in view to the first, so that each is in view when its turn comes. */
export async function openLots(page: Page): Promise<void> {
  const closed = page.locator('.line.group[aria-expanded=false]')
  await page.locator('.line.group').first().waitFor()
  for (let index = (await page.locator('.line.group').count()) - 1; index >= 0; index--) {
    const head = page.locator(`.line.group[data-line="${index}"][aria-expanded=false]`)
    if ((await closed.count()) === 0) return
    if ((await head.count()) > 0) await head.click()
    await page.waitForTimeout(100)
  }
}

/** Scrolls through a page's long table for some seconds, and says how long its frames took. @returns a sentence with milliseconds */
export async function scrollThrough(page: Page, seconds = 8): Promise<string> {
  const frames = (await page.evaluate(`(async () => {
    const body = document.querySelector('[role=treegrid] .body')
    body.scrollTop = 0
    const times = []
    let last = performance.now()
    const end = last + ${seconds * 1000}
    while (last < end) {
      await new Promise(resolve => requestAnimationFrame(resolve))
      const now = performance.now()
      times.push(now - last)
      last = now
      body.scrollTop += 120
      if (body.scrollTop + body.clientHeight >= body.scrollHeight) body.scrollTop = 0
    }
    return { times: times.slice(1), height: body.scrollHeight }
  })()`)) as { times: number[]; height: number }
  const sorted = [...frames.times].sort((a, b) => a - b)
  const at = (part: number) => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * part))]!.toFixed(1)
  return `${Math.round(frames.height / 30)} lines, ${sorted.length} frames while scrolling by 120 pixels each: median ${at(0.5)} ms, p99 ${at(0.99)} ms, longest ${at(1)} ms (${sorted.filter(time => time > 50).length} over 50 ms)`
}
