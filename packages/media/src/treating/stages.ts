import { PathSmoother, profilesOf, shiftBetween, type BurntSubtitles, type Profiles } from '@hematine/core'
import { AV_PIX_FMT_RGB24 } from 'node-av/constants'
import { Frame } from 'node-av/lib'
import type { StagePlan } from './filters.ts'
import { Graph, videoPadOf } from '../ground/graph.ts'
import { ensure, MediaError } from '../ground/libav.ts'
import { Network, type NetworkDevice } from '../ground/network.ts'
import type { SubtitleReader } from '../reading/subtitle-reader.ts'
import { BurnStage } from './burn-stage.ts'
import { RepairStage } from './repair-stage.ts'
import { SingleStage, type Stage } from './stage.ts'
import { SteadyAheadStage, type FramesAhead } from './steady-ahead-stage.ts'

interface Times {
  timeBase: { num: number; den: number }
  frameRate: { num: number; den: number }
}

/** Stages in a row, each set up by the first frame that reaches it. */
export class StageChain {
  private readonly stages: (Stage | null)[]
  private readonly between: Frame[]
  private readonly ended: boolean[]
  /** Seconds spent in each stage so far; a stage's own threads are waited for. */
  readonly seconds: number[]

  /**
   * @param times of the frames that will be pushed @param pixelAspect of them
   * @param readAhead opens a second reading of the same frames, up to a stage
   * @param readSubtitles opens a track that is burnt in, some time before the frames that will be pushed
   */
  constructor(
    private readonly plans: readonly StagePlan[],
    private readonly times: Times,
    private readonly pixelAspect: { num: number; den: number },
    private readonly readAhead: (stage: number) => Promise<FramesAhead>,
    private readonly readSubtitles: (burnt: BurntSubtitles) => Promise<SubtitleReader>,
  ) {
    this.stages = plans.map(() => null)
    this.ended = plans.map(() => false)
    this.seconds = plans.map(() => 0)
    this.between = plans.map(() => {
      const frame = new Frame()
      frame.alloc()
      return frame
    })
  }

  /** Devices on which learned stages run, by the network's name. */
  get devices(): Record<string, NetworkDevice> {
    return Object.fromEntries(
      this.stages.flatMap(stage => (stage instanceof LearnedStage ? [[stage.network.name, stage.network.device]] : [])),
    )
  }

  async push(frame: Frame | null): Promise<void> {
    await this.give(0, frame)
  }

  pull(frame: Frame): Promise<'frame' | 'again' | 'end'> {
    return this.take(this.plans.length - 1, frame)
  }

  private async take(index: number, frame: Frame): Promise<'frame' | 'again' | 'end'> {
    for (;;) {
      const stage = this.stages[index]
      const state = stage ? await this.timed(index, () => stage.pull(frame)) : this.ended[index] ? 'end' : 'again'
      if (state !== 'again' || index === 0) return state
      const input = this.between[index]!
      const before = await this.take(index - 1, input)
      if (before === 'again') return 'again'
      if (before === 'end') {
        if (this.ended[index]) return 'end'
        await this.give(index, null)
      } else {
        await this.give(index, input)
        input.unref()
      }
    }
  }

  private async give(index: number, frame: Frame | null): Promise<void> {
    if (frame === null) {
      this.ended[index] = true
      await this.timed(index, async () => this.stages[index]?.push(null))
      return
    }
    const stage = (this.stages[index] ??= await this.build(index, frame))
    await this.timed(index, () => stage.push(frame))
  }

  private async build(index: number, frame: Frame): Promise<Stage> {
    const plan = this.plans[index]!
    const timeBase = index === 0 ? this.times.timeBase : this.stages[index - 1]!.timeBase
    if (plan.kind === 'learned') return LearnedStage.open(plan, timeBase)
    if (plan.kind === 'steady-ahead') return new SteadyAheadStage(plan, await this.readAhead(index), timeBase)
    if (plan.kind === 'burn')
      return BurnStage.make(plan.plan, await this.readSubtitles(plan.plan.burnt), { ...this.times, timeBase })
    if (plan.kind === 'repair') return new RepairStage(plan.what, plan.strength, timeBase)
    if (plan.kind === 'steady') return SteadyStage.open(plan, frame, { ...this.times, timeBase })
    const pixelAspect =
      index === 0 ? this.pixelAspect : frame.sampleAspectRatio.num > 0 ? frame.sampleAspectRatio : { num: 1, den: 1 }
    return Graph.video(plan.filters, [videoPadOf(frame, { timeBase, frameRate: this.times.frameRate, pixelAspect })])
  }

  private async timed<Result>(index: number, work: () => Promise<Result>): Promise<Result> {
    const begun = performance.now()
    try {
      return await work()
    } finally {
      this.seconds[index]! += (performance.now() - begun) / 1000
    }
  }

  free(): void {
    for (const frame of this.between) frame.free()
    for (const stage of this.stages) stage?.free()
  }
}

/** Passes of a learned network over frames of packed red, green and blue. */
class LearnedStage extends SingleStage {
  private constructor(
    private readonly plan: Extract<StagePlan, { kind: 'learned' }>,
    readonly network: Network,
    timeBase: { num: number; den: number },
  ) {
    super(timeBase)
  }

  static async open(
    plan: Extract<StagePlan, { kind: 'learned' }>,
    timeBase: { num: number; den: number },
  ): Promise<LearnedStage> {
    return new LearnedStage(plan, await Network.open(plan.network), timeBase)
  }

  protected async take(frame: Frame): Promise<void> {
    if (this.ready) throw new MediaError('A learned step was given a frame before its last one was taken.')
    const [stride, rows] = [frame.linesize[0]!, frame.data![0]!]
    const line = frame.width * 3
    const data = new Uint8Array(line * frame.height)
    for (let row = 0; row < frame.height; row++) data.set(rows.subarray(row * stride, row * stride + line), row * line)
    let picture = { width: frame.width, height: frame.height, data }
    for (let pass = 0; pass < this.plan.passes; pass++)
      picture = { ...picture, ...(await this.network.run(picture, this.plan.strength)) } as typeof picture
    const large = Frame.fromVideoBuffer(
      Buffer.from(picture.data.buffer, picture.data.byteOffset, picture.data.byteLength),
      { width: picture.width, height: picture.height, format: AV_PIX_FMT_RGB24, timeBase: this.timeBase } as never,
    )
    large.pts = frame.pts
    large.colorRange = frame.colorRange
    large.colorSpace = frame.colorSpace
    large.colorPrimaries = frame.colorPrimaries
    large.colorTrc = frame.colorTrc
    large.sampleAspectRatio = frame.sampleAspectRatio
    this.ready = large
  }

  override free(): void {
    super.free()
    void this.network.close()
  }
}

/** Holds frames back until the path around them is known, then cuts each where the picture stands steady. */
class SteadyStage implements Stage {
  private readonly path: PathSmoother
  private readonly held: Frame[] = []
  private before: Profiles | null = null
  private hasEnded = false
  private readonly grey = new Frame()

  private constructor(
    private readonly plan: Extract<StagePlan, { kind: 'steady' }>,
    private readonly looking: Graph,
    private readonly cutting: Graph,
    readonly timeBase: { num: number; den: number },
  ) {
    this.path = new PathSmoother(plan.edge)
    this.grey.alloc()
  }

  static async open(plan: Extract<StagePlan, { kind: 'steady' }>, frame: Frame, times: Times): Promise<SteadyStage> {
    const pad = videoPadOf(frame, times)
    const looking = await Graph.video('format=gray', [pad])
    const cutting = await Graph.video(`crop=${plan.width}:${plan.height}:${plan.edge}:${plan.edge}:exact=1,copy`, [pad])
    return new SteadyStage(plan, looking, cutting, times.timeBase)
  }

  async push(frame: Frame | null): Promise<void> {
    if (frame === null) {
      this.hasEnded = true
      return
    }
    await this.looking.push(frame)
    if ((await this.looking.pull(this.grey)) !== 'frame')
      throw new MediaError('The picture cannot be looked at for its motion.')
    const { width, height } = this.grey
    const now = profilesOf({ data: this.grey.data![0]!, width, height, stride: this.grey.linesize[0]! })
    this.grey.unref()
    this.path.add(this.before ? shiftBetween(this.before, now) : { x: 0, y: 0, fit: 0 })
    this.before = now
    const held = new Frame()
    held.alloc()
    held.ref(frame)
    this.held.push(held)
  }

  async pull(frame: Frame): Promise<'frame' | 'again' | 'end'> {
    const off = this.path.take(this.hasEnded)
    if (!off) return this.hasEnded ? 'end' : 'again'
    const held = this.held.shift()!
    const { edge } = this.plan
    for (const [axis, value] of [
      ['x', off.x],
      ['y', off.y],
    ] as const)
      ensure(this.cutting.command('crop', axis, String(edge + Math.round(value))), 'The picture cannot be moved')
    await this.cutting.push(held)
    held.free()
    const state = await this.cutting.pull(frame)
    if (state !== 'frame') throw new MediaError('The picture cannot be moved to its steady place.')
    return 'frame'
  }

  free(): void {
    for (const held of this.held) held.free()
    this.grey.free()
    this.looking.free()
    this.cutting.free()
  }
}
