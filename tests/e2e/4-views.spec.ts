import { expect, test } from '@playwright/test'
import { emptyAddress, expectAccessible, expectNoPageScroll } from './support.ts'

const stations = ['Intake', 'Bench', 'Balance', 'Shift', 'Handover', 'Equipment', 'Library']

test.describe('every view', () => {
  for (const theme of ['dark', 'light']) {
    test(`is accessible and fits 1280x800, ${theme}`, async ({ page }) => {
      await page.addInitScript(name => localStorage.setItem('hematine-theme', name), theme)
      for (const station of stations) {
        await page.goto(`/${station.toLowerCase()}`)
        await expect(page.getByRole('heading', { name: station, level: 1 })).toBeVisible()
        await expectNoPageScroll(page)
        await expectAccessible(page)
      }
      for (const [path, words] of [
        ['equipment/forecasts', /^All kinds of work|No forecast has a result yet/],
        ['balance/ways', /^Each lot gets one of|No lot has a choice/],
        ['balance/renders', /^No test is measured|^Still to be rendered/],
        ['balance/orders', /^Delivery volume|No order has work waiting/],
      ] as const) {
        await page.goto(`/${path}`)
        await expect(page.getByText(words).first()).toBeVisible()
        await expectNoPageScroll(page)
        await expectAccessible(page)
      }
    })
  }

  test('started empty says what belongs there and how it gets there', async ({ page }) => {
    for (const [station, words] of [
      ['intake', 'Nothing has been brought in yet'],
      ['bench', 'Nothing to treat yet'],
      ['balance', 'No drafts to weigh'],
      ['shift', 'Nothing waits'],
      ['handover', 'No results yet'],
      ['equipment', 'No worker is at work'],
      ['equipment/forecasts', 'No forecast has a result yet'],
    ] as const) {
      await page.goto(`${emptyAddress}/${station}`)
      await expect(page.getByText(words, { exact: true })).toBeVisible()
      await expectAccessible(page)
    }
  })

  test('says when the server is out of reach', async ({ page }) => {
    await page.route('**/api/**', route => route.abort())
    await page.goto('/intake')
    await expect(page.getByText('The order could not be loaded')).toBeVisible()
    await page.unroute('**/api/**')
    await page.getByRole('button', { name: 'Try again' }).click()
    await expect(page.getByRole('heading', { name: 'Intake' })).toBeVisible()
  })
})

test.describe('by keyboard', () => {
  test('numbers change the station, and the palette finds commands', async ({ page }) => {
    await page.goto('/intake')
    await expect(page.getByRole('heading', { name: 'Intake' })).toBeVisible()
    await page.keyboard.press('6')
    await expect(page).toHaveURL(/equipment/)
    await page.keyboard.press('Control+k')
    await page.getByRole('combobox', { name: 'Find a command' }).fill('source weather')
    await expectAccessible(page)
    await page.keyboard.press('Enter')
    await expect(page).toHaveURL(/intake\?source=\d+/)
    await expect(page.getByRole('heading', { name: 'Weather watch.mp4' })).toBeVisible()
    await page.keyboard.press('?')
    await expect(page.getByRole('dialog')).toContainText('find a command')
  })

  test('arrows open the next row and Space selects it', async ({ page }) => {
    await page.goto('/intake')
    await page.locator('[data-line="0"]').focus()
    await page.keyboard.press('ArrowDown')
    const open = page.locator('[data-row].open')
    await expect(open).toBeFocused()
    await page.keyboard.press('Space')
    await expect(open.getByRole('checkbox')).toBeChecked()
    await expect(page.getByText('1 selected')).toBeVisible()
  })
})

test.describe('dialogs', () => {
  test('the volume browser shows directories and what is in the order already', async ({ page }) => {
    await page.goto('/intake')
    await page.getByRole('button', { name: 'Bring in from a volume' }).click()
    const dialog = page.getByRole('dialog')
    await expect(dialog.getByText("Keeper's notes.mov")).toBeVisible()
    await dialog.getByRole('button', { name: 'Approach render', exact: true }).click()
    await expect(dialog.getByText('approach-[0001-0048].png')).toBeVisible()
    await expect(dialog.getByText('in the order')).toBeVisible()
    await expectAccessible(page)
  })

  test('an order is made and opened; a volume outside the allowed places is refused', async ({ page, request }) => {
    await page.goto(emptyAddress + '/equipment')
    await page.getByRole('button', { name: 'New order' }).click()
    const dialog = page.getByRole('dialog')
    await dialog.getByLabel('Code').fill('SL-020')
    await dialog.getByLabel('Name').fill('Buoy films')
    await dialog.getByLabel('Due').fill('2027-01-15T08:00')
    await dialog.locator('.v-select').filter({ hasText: 'Its lateness counts' }).locator('.v-field').click()
    await page.getByRole('option', { name: 'twice' }).click()
    await expectAccessible(page)
    await dialog.getByRole('button', { name: 'Make order' }).click()
    await expect(page.getByText('SL-020 Buoy films')).toBeVisible()
    await expect(page.getByText('Fri 15 Jan 08:00')).toBeVisible()
    expect(await (await request.get(emptyAddress + '/api/orders')).json()).toMatchObject([
      expect.anything(),
      { code: 'SL-020', lateWeight: 2 },
    ])
  })
})

test('a worker is given lanes, and none; what is no number of lanes is put back', async ({ page }) => {
  await page.goto('/equipment')
  const lanes = page.getByRole('spinbutton', { name: /^Lanes of / })
  await expect(lanes).toHaveValue('1')
  await lanes.fill('0')
  await lanes.press('Enter')
  await expect(page.getByText('takes no jobs', { exact: true })).toBeVisible()
  await expectAccessible(page)
  await page.goto('/shift')
  await expect(page.getByText('No worker has a lane: nothing new is begun')).toBeVisible()
  await page.goto('/equipment')
  await expect(lanes).toHaveValue('0')
  await lanes.fill('99')
  await lanes.press('Enter')
  await expect(page.getByText('A worker has 0 to 64 lanes, in whole numbers.')).toBeVisible()
  await expect(lanes).toHaveValue('0')
  await lanes.fill('1')
  await lanes.press('Enter')
  await expect(page.getByText('at work', { exact: true })).toBeVisible()
})
