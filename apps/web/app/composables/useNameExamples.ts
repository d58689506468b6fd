import {
  asMeasured,
  CannotTreat,
  deriveTreatment,
  patternProblems,
  plannedPieces,
  resultName,
  type DeliverySpec,
  type SourceFacts,
  type SourceRecord,
} from '@hematine/core'
import { computed, onMounted, ref, type Ref } from 'vue'
import { call } from '~/composables/useCall'
import { useOrder } from '~/stores/order'

/** Sources of the order that are looked through for examples, and the examples that are shown. */
const looked = 24
const shown = 3

/** Where its picture cuts is not known here: what a first piece is called is the same for one cut or hundreds. */
const someCut = ({ durationSeconds }: SourceFacts) => (durationSeconds === null ? [] : [durationSeconds / 2])

/** What results of a spec would be called, on the first sources of the order that it can be made of. */
export function useNameExamples(spec: Ref<DeliverySpec>) {
  const order = useOrder()
  const sources = ref<SourceRecord[]>([])
  const lotNames = ref(new Map<number, string>())

  onMounted(async () => {
    const current = order.order
    if (!current) return
    const query = { orderId: current.id }
    const [list, lots] = await Promise.all([
      call('listSources', { query: { ...query, limit: looked } }),
      call('listLots', { query }),
    ])
    lotNames.value = new Map(lots.map(lot => [lot.id, lot.name]))
    sources.value = await Promise.all(list.rows.map(row => call('readSource', { parameters: { id: row.id } })))
  })

  return computed(() => {
    if (patternProblems(spec.value).length > 0) return []
    const examples: { item: string; name: string }[] = []
    for (const [index, source] of sources.value.entries()) {
      if (examples.length === shown) break
      if (!source.facts) continue
      try {
        const facts = asMeasured(source.facts, source.findings)
        const { steps, piece } = plannedPieces(facts, spec.value, [], someCut(facts))[0]!
        const { result } = deriveTreatment(facts, spec.value, steps)
        const name = resultName(spec.value, {
          item: source.name,
          number: index + 1,
          lot: lotNames.value.get(source.lotId ?? -1) ?? null,
          order: order.order?.code ?? '',
          disc: source.disc,
          piece,
          result,
          date: new Date().toISOString().slice(0, 10),
        })
        examples.push({ item: source.name, name })
      } catch (error) {
        // It cannot be made of every source, and an example needs no more than some.
        if (!(error instanceof CannotTreat)) throw error
      }
    }
    return examples
  })
}
