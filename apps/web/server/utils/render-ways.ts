import type { RenderAnswer, RenderQuestion } from '@hematine/core'
import { found, listOrders, Problem, renderTestsOf, type RenderTestRow } from '@hematine/database'
import type { Application } from './application'

/** A question about an order's frames answered, with the measured jobs that it names. @throws Problem 409 where one of them is none, or no longer */
export async function weighRenders(
  application: Application,
  { orderId, ...question }: RenderQuestion & { orderId: number },
): Promise<{ answer: RenderAnswer; tests: Record<'full' | 'reduced', RenderTestRow> }> {
  const em = application.em()
  const order = found((await listOrders(em)).find(({ id }) => id === orderId) ?? null, 'order', orderId)
  const measured = await renderTestsOf(em, { jobIds: [question.full.jobId, question.reduced.jobId] })
  const testOf = ({ jobId }: { jobId: number }): RenderTestRow => {
    const row = measured.find(entry => entry.jobId === jobId)
    if (row) return row
    throw new Problem(
      409,
      'no-test',
      `Job ${jobId} has no picture, was not measured, is cut, or is gone. Choose another draft as the test.`,
    )
  }
  const tests = { full: testOf(question.full), reduced: testOf(question.reduced) }
  return { answer: await application.agendas.renderOrTreat(order, tests, question), tests }
}
