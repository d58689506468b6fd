import { defineStore } from 'pinia'
import { ref } from 'vue'
import { CallProblem, onLeftOut } from '~/composables/useCall'

export interface Notice {
  id: number
  kind: 'problem' | 'done'
  text: string
}

/** Short sentences about what was done or went wrong. Problems stay until they are dismissed. */
export const useNotices = defineStore('notices', () => {
  const notices = ref<Notice[]>([])
  let lastId = 0

  function dismiss(id: number): void {
    notices.value = notices.value.filter(notice => notice.id !== id)
  }

  function add(kind: Notice['kind'], text: string): void {
    if (notices.value.some(notice => notice.text === text)) return
    const id = ++lastId
    notices.value = [...notices.value.slice(-3), { id, kind, text }]
    if (kind === 'done') setTimeout(() => dismiss(id), 5000)
  }

  /** Runs what a person asked for; a problem becomes a notice. @returns what it gave, or undefined */
  async function attempt<T>(work: () => Promise<T>): Promise<T | undefined> {
    try {
      return await work()
    } catch (error) {
      if (!(error instanceof CallProblem)) throw error
      add('problem', error.message)
      return undefined
    }
  }

  onLeftOut(text => add('problem', text))

  return {
    notices,
    dismiss,
    attempt,
    done: (text: string) => add('done', text),
    problem: (text: string) => add('problem', text),
  }
})
