import { ref, shallowRef, watch, type Ref } from 'vue'
import { addressOf, CallProblem, problemOf } from './useCall'

export type BeforeSide = 'treated' | 'source'

export interface FramePair {
  index: number
  before: ImageBitmap
  after: ImageBitmap
}

const keptPictures = 24

/** The pictures before and after of one frame. Both change together, when both are there; until then the last pair stays. */
export function useFramePair(jobId: number, index: Ref<number>, side: Ref<BeforeSide>, last: Ref<number>) {
  const pair = shallowRef<FramePair | null>(null)
  const loading = ref(false)
  const problem = ref<string | null>(null)
  const kept = new Map<string, Promise<ImageBitmap>>()

  function picture(what: BeforeSide | 'result', frame: number): Promise<ImageBitmap> {
    const key = `${what}:${frame}`
    let asked = kept.get(key)
    if (asked) kept.delete(key)
    else {
      asked = fetchPicture(what, frame)
      asked.catch(() => kept.delete(key))
    }
    kept.set(key, asked)
    for (const oldest of kept.keys()) {
      if (kept.size <= keptPictures) break
      kept.delete(oldest)
    }
    return asked
  }

  async function fetchPicture(what: BeforeSide | 'result', frame: number): Promise<ImageBitmap> {
    const response = await fetch(
      addressOf('jobFrame', { parameters: { id: jobId, index: frame }, query: { side: what } }),
    )
    if (!response.ok) throw await problemOf(response)
    return createImageBitmap(await response.blob())
  }

  watch(
    [index, side],
    async ([frame, what]) => {
      loading.value = true
      try {
        const [before, after] = await Promise.all([picture(what, frame), picture('result', frame)])
        if (frame !== index.value || what !== side.value) return
        pair.value = { index: frame, before, after }
        problem.value = null
        // The next frame is fetched ahead, so that stepping on is quick.
        if (frame < last.value)
          for (const ahead of [what, 'result'] as const) picture(ahead, frame + 1).catch(() => undefined)
      } catch (error) {
        if (frame !== index.value) return
        problem.value =
          error instanceof CallProblem
            ? error.message
            : 'The frame could not be fetched. Try another one, or reload the page.'
      } finally {
        if (frame === index.value && what === side.value) loading.value = false
      }
    },
    { immediate: true },
  )

  return { pair, loading, problem }
}
