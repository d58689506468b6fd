import type { AssetKind, AssetRecord, AssetRef } from '@hematine/core'
import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import { call } from '~/composables/useCall'

/** Lookup tables and pictures of the library. */
export const useAssets = defineStore('assets', () => {
  const list = shallowRef<AssetRecord[]>([])
  let asked: Promise<void> | null = null

  /** Reads the list, once for all who ask. */
  function load(): Promise<void> {
    asked ??= call('listAssets', {})
      .then(records => {
        list.value = records
      })
      .catch(error => {
        asked = null
        throw error
      })
    return asked
  }

  /** Keeps a file's bytes (base 64). @returns how steps name it */
  async function keep(name: string, kind: AssetKind, data: string): Promise<AssetRef> {
    const record = await call('keepAsset', { body: { name, kind, data } })
    if (!list.value.some(entry => entry.sha256 === record.sha256))
      list.value = [...list.value, record].sort((a, b) => a.name.localeCompare(b.name))
    return { sha256: record.sha256, name: record.name }
  }

  /** Keeps a chosen file. */
  async function add(file: File, kind: AssetKind): Promise<AssetRef> {
    const bytes = new Uint8Array(await file.arrayBuffer())
    let text = ''
    for (let at = 0; at < bytes.length; at += 32_768) text += String.fromCharCode(...bytes.subarray(at, at + 32_768))
    return keep(file.name.replace(/\.[^.]+$/, '').slice(0, 120), kind, btoa(text))
  }

  return { list, load, keep, add }
})
