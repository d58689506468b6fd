import { describe, expect, test } from 'vitest'
import { readSettings, WrongSettings } from '../src/index.ts'

describe('settings', () => {
  test("have defaults for a fresh start, and ignore what is not Hematine's", () => {
    expect(readSettings({ PATH: '/usr/bin', HEMATINE_HOST: '' })).toMatchObject({
      HEMATINE_HOST: '127.0.0.1',
      HEMATINE_PORT: 4180,
      HEMATINE_LANES: 1,
      HEMATINE_READY: 3,
      HEMATINE_WORKERS: 1,
      HEMATINE_LOG_LEVEL: 'info',
    })
  })

  test('are read as numbers and lists', () => {
    expect(readSettings({ HEMATINE_PORT: '5000', HEMATINE_VOLUME_ROOTS: '/mnt/a:/srv/b' })).toMatchObject({
      HEMATINE_PORT: 5000,
      HEMATINE_VOLUME_ROOTS: ['/mnt/a', '/srv/b'],
    })
  })

  test('that are wrong are all named, with what is the matter', () => {
    const read = () =>
      readSettings({
        HEMATINE_PORT: 'eighty',
        HEMATINE_LANES: '0',
        HEMATINE_DATA_DIR: 'here',
        HEMATINE_LOG_LEVEL: 'loud',
        HEMATINE_SEGMENT_SECONDS: 'some',
        HEMATINE_PROT: '1',
      })
    expect(read).toThrow(WrongSettings)
    expect(read).toThrow('HEMATINE_PORT=eighty: is not a whole number.')
    expect(read).toThrow('HEMATINE_LANES=0: is less than 1.')
    expect(read).toThrow('HEMATINE_DATA_DIR=here: is not an absolute path.')
    expect(read).toThrow('HEMATINE_LOG_LEVEL=loud: is not one of debug, info, warn, error.')
    expect(read).toThrow('HEMATINE_SEGMENT_SECONDS=some: is no number.')
    expect(() => readSettings({ HEMATINE_SEGMENT_SECONDS: '0' })).toThrow('is not above 0')
    expect(() => readSettings({ HEMATINE_SEGMENT_SECONDS: '301' })).toThrow('is above 300')
    expect(read).toThrow("HEMATINE_PROT is no setting of Hematine's.")
  })

  test('listening beyond this machine needs a passphrase, whose value is never shown', () => {
    expect(() => readSettings({ HEMATINE_HOST: '0.0.0.0' })).toThrow(
      'Set HEMATINE_PASSPHRASE to at least 12 characters',
    )
    expect(() => readSettings({ HEMATINE_HOST: '10.0.0.7', HEMATINE_PASSPHRASE: 'fog signal' })).toThrow(
      'HEMATINE_PASSPHRASE: is shorter than 12 characters.',
    )
    expect(() => readSettings({ HEMATINE_PASSPHRASE: 'fog signal' })).not.toThrow('fog signal')
    expect(
      readSettings({
        HEMATINE_HOST: '0.0.0.0',
        HEMATINE_PASSPHRASE: 'fog signal at dawn',
        HEMATINE_NAMES: 'Farm.example, https://farm.example:8443',
      }),
    ).toMatchObject({ HEMATINE_NAMES: ['farm.example', 'https://farm.example:8443'] })
    for (const host of ['127.0.0.1', '127.1.2.3', '::1', 'localhost'])
      expect(readSettings({ HEMATINE_HOST: host }).HEMATINE_HOST).toBe(host)
    expect(() => readSettings({ HEMATINE_NAMES: 'farm/x' })).toThrow('is not a list of host names')
  })

  test("a database address must be PostgreSQL's", () => {
    expect(() => readSettings({ HEMATINE_DATABASE_URL: 'mysql://x' })).toThrow('is not a PostgreSQL address')
  })
})
