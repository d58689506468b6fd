import { expect, test } from 'vitest'
import { Network } from '../src/ground/network.ts'

/** In a file of its own: the runtime looks for graphics processors once in each process. */
test('insisting on a graphics processor that is not there fails with a sentence; leaving the choice open does not', async () => {
  process.env.VK_ICD_FILENAMES = '/no-driver.json'
  await expect(Network.open('clean-fast', 'webgpu')).rejects.toThrow(
    'The graphics processor cannot run the network clean-fast',
  )
  const network = await Network.open('clean-fast')
  expect(network.device).toBe('cpu')
  await network.close()
})
