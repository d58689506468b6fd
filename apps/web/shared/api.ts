import {
  AssetKind,
  AssetRecord,
  ComparisonRecord,
  CurveRecord,
  LotCurveRecord,
  Disc,
  DiscCopyRecord,
  DriveRecord,
  Fineness,
  LateWeight,
  ForecastOutcome,
  HoursSetting,
  JobDetail,
  JobEventRecord,
  JobRecord,
  JobSort,
  JobState,
  joinLimits,
  LotRecord,
  LotWork,
  SpecWork,
  longestMomentSeconds,
  MeasureWish,
  Measurement,
  Moment,
  mostLanes,
  mostMoments,
  NumberedSequence,
  OrderRecord,
  OrderSuggestion,
  Outlook,
  parseSectorRanges,
  PlannedJobRecord,
  PlannedRecord,
  PlannedSource,
  proxyPieceSeconds,
  Rational,
  SampleState,
  ScanRecord,
  SourceFilter,
  SourceKind,
  SourceRecord,
  SourceRow,
  SourceSort,
  SpecDraft,
  SpecRecord,
  Step,
  Steps,
  Treatment,
  TreatmentRecord,
  TrialRecord,
  VolumeRecord,
  VolumeRole,
  WatchRecord,
  StandInFault,
  WorkerRecord,
  Ways,
  WaysAsked,
  WhatIf,
  WorkSummary,
  RenderAnswer,
  RenderQuestion,
  RenderTestRecord,
} from '@hematine/core'
import { z } from 'zod'

/**
 * Every route of the HTTP interface: the server checks requests and answers by it, the browser's calls are typed by it, and the
 * OpenAPI description is made from it.
 */

/** Results held against their forecasts that one answer has at most. */
export const mostOutcomesListed = 1000

export interface Route {
  method: 'get' | 'post' | 'put' | 'patch' | 'delete'
  /** Path with its parameters in braces. */
  path: string
  summary: string
  parameters?: z.ZodObject
  query?: z.ZodObject
  body?: z.ZodType
  /** JSON answer; a route without one answers with `contentType`. */
  answer?: z.ZodType
  contentType?: string
  status?: 200 | 201 | 204
}

/** Code of the problem that the database is away for a moment. */
export const awayCode = 'database-away'
/** Code of the problem that the passphrase was not given yet. */
export const passphraseCode = 'passphrase-needed'

/** What a text of JSON says; itself where it is none, for the schema behind it to refuse. */
function fromJson(text: unknown): unknown {
  if (text === undefined) return {}
  try {
    return JSON.parse(String(text)) as unknown
  } catch {
    return text
  }
}

/** Numbers of rows, as the database counts them. */
const rowNumber = z.int().positive().max(2_147_483_647, 'is too large')
const id = z.coerce
  .number()
  .int('must be a whole number')
  .positive('must be positive')
  .max(2_147_483_647, 'is too large')
const idParameter = z.object({ id })
/** Rows that one request may name. */
const mostRows = 20_000
const ids = z.array(rowNumber).min(1, 'name at least one').max(mostRows, `name at most ${mostRows}`)
const text = (most: number) => z.string().trim().min(1, 'is empty').max(most, `is longer than ${most} characters`)
const relativePath = z.string().max(4096, 'is longer than 4096 characters')
const ofOrder = z.object({ orderId: id })
const momentParameters = z.object({
  id,
  index: z.coerce.number().int('must be a whole number').min(0, 'must not be negative').max(100),
})
const frameRate = Rational.refine(
  rate => rate.num > 0 && rate.num / rate.den <= 1000,
  'must be above 0 and at most 1000 fps',
)

/** A filter travels in the address as JSON. */
const filterText = z
  .string()
  .max(4000, 'is longer than 4000 characters')
  .default('[]')
  .transform((text, context): unknown => {
    try {
      return JSON.parse(text)
    } catch {
      context.addIssue({ code: 'custom', message: 'is not valid JSON' })
      return z.NEVER
    }
  })
  .pipe(SourceFilter)
/** Sectors as a person writes them: "1200-1215, 3000". */
const sectorRanges = z
  .string()
  .max(2000, 'is longer than 2000 characters')
  .transform((text, context) => {
    const ranges = parseSectorRanges(text)
    if (typeof ranges !== 'string') return ranges
    context.addIssue({ code: 'custom', message: ranges })
    return z.NEVER
  })
/** "none" for sources that are in no lot. */
const lotChoice = z.union([id, z.literal('none')]).optional()
const jobStates = z
  .string()
  .max(200, 'is longer than 200 characters')
  .transform(text => text.split(','))
  .pipe(z.array(JobState))
/** A job and the one that its frames are held against. */
const comparedJobs = z.object({ jobId: id, referenceId: id })
const jobQuery = ofOrder.extend({
  /** Between commas: "draft", "waiting,held". */
  states: jobStates.optional(),
  lotId: lotChoice,
  sourceId: id.optional(),
  specKey: text(80).optional(),
  sample: SampleState.optional(),
  sort: JobSort.default('plan'),
})
const folderBody = z.object({
  orderId: rowNumber,
  volumeId: rowNumber,
  path: relativePath,
  frameRate: frameRate.optional(),
})
const sourceIds = z.object({ ids })

const orderBody = z.object({
  code: text(40),
  name: text(120),
  dueAt: z.iso.datetime('is not a time in UTC such as 2026-11-27T08:00:00Z').nullable(),
  /** How often its lateness counts against that of others; once unless said. */
  lateWeight: LateWeight.optional(),
})

export const DirectoryListing = z.object({
  path: z.string(),
  directories: z.array(z.object({ name: z.string(), path: z.string() })),
  items: z.array(
    z.object({
      kind: z.enum(['file', 'sequence', 'disc']),
      name: z.string(),
      path: z.string(),
      bytes: z.number().nullable(),
      sequence: NumberedSequence.nullable(),
      /** Number of the order's source made from it, if there is one. */
      sourceId: z.int().nullable(),
    }),
  ),
  refused: z.array(z.object({ name: z.string(), reason: z.string() })),
})
export type DirectoryListing = z.infer<typeof DirectoryListing>

export const ArrivalBody = z.object({
  kind: SourceKind,
  volumeId: rowNumber,
  /** As a directory listing names it; of a title, the path of its disc. */
  path: relativePath.min(1, 'is empty'),
  title: z.int().positive().optional(),
  /** 1 when left out. */
  angle: z.int().positive().max(9).optional(),
  /** Frames a second of a sequence; 25 when left out. */
  frameRate: frameRate.optional(),
})
export type ArrivalBody = z.infer<typeof ArrivalBody>

export const SourceCounts = z.object({
  all: z.int(),
  undecided: z.int(),
  reading: z.int(),
  measuring: z.int(),
  refused: z.int(),
})
export type SourceCounts = z.infer<typeof SourceCounts>

export const Health = z.object({
  eventLoopDelayMilliseconds: z.object({ median: z.number(), p99: z.number(), max: z.number() }),
  overSeconds: z.number(),
  residentBytes: z.int(),
})
export type Health = z.infer<typeof Health>

export const ErrorBody = z.object({
  error: z.object({
    status: z.int(),
    code: z.string(),
    /** What is wrong and what to do, as a sentence for a person. */
    message: z.string(),
    /** Which parts of the request are wrong. */
    details: z.array(z.object({ where: z.string(), message: z.string() })),
  }),
})
export type ErrorBody = z.infer<typeof ErrorBody>

export const api = {
  giveSession: {
    method: 'post',
    path: '/api/session',
    summary:
      'Takes the passphrase, where one is set, and answers with a cookie that stands for it. Programs may send it with each request instead: "Authorization: Bearer ...".',
    body: z.object({ passphrase: z.string().max(1000, 'is longer than 1000 characters') }),
    status: 204,
  },
  endSession: {
    method: 'delete',
    path: '/api/session',
    summary: 'Forgets that this browser gave the passphrase.',
    status: 204,
  },

  listOrders: { method: 'get', path: '/api/orders', summary: 'All orders.', answer: z.array(OrderRecord) },
  createOrder: {
    method: 'post',
    path: '/api/orders',
    summary: 'Makes an order.',
    body: orderBody,
    answer: OrderRecord,
    status: 201,
  },
  changeOrder: {
    method: 'patch',
    path: '/api/orders/{id}',
    summary:
      "Changes an order's code, name or due time, how often its lateness counts, or how fine its lots are; sources that nobody placed by hand are then grouped anew.",
    parameters: idParameter,
    body: orderBody.extend({ lotFineness: Fineness }).partial(),
    answer: OrderRecord,
  },

  listVolumes: {
    method: 'get',
    path: '/api/volumes',
    summary: 'Registered volumes with the space on their disks.',
    answer: z.array(VolumeRecord),
  },
  registerVolume: {
    method: 'post',
    path: '/api/volumes',
    summary: 'Registers a directory below an allowed root as a volume.',
    body: z.object({ name: text(80), role: VolumeRole, path: z.string().min(1, 'is empty').max(4096, 'is too long') }),
    answer: VolumeRecord,
    status: 201,
  },
  forgetVolume: {
    method: 'delete',
    path: '/api/volumes/{id}',
    summary: 'Forgets a volume that nothing refers to; its files stay.',
    parameters: idParameter,
    status: 204,
  },
  listRoots: {
    method: 'get',
    path: '/api/volume-roots',
    summary: 'Directories in which volumes may be registered, or the directories in one of them.',
    query: z.object({ path: z.string().max(4096).optional() }),
    answer: z.object({
      path: z.string().nullable(),
      parent: z.string().nullable(),
      directories: z.array(z.object({ name: z.string(), path: z.string() })),
    }),
  },
  listDirectory: {
    method: 'get',
    path: '/api/volumes/{id}/entries',
    summary: 'What a directory of a volume holds; numbered pictures appear as sequences.',
    parameters: idParameter,
    query: z.object({ path: relativePath.default(''), orderId: id.optional() }),
    answer: DirectoryListing,
  },

  readDisc: {
    method: 'get',
    path: '/api/volumes/{id}/disc',
    summary: 'Titles of a disc folder or a disc image in a volume.',
    parameters: idParameter,
    query: z.object({ path: relativePath, orderId: id.optional() }),
    answer: Disc.extend({ path: z.string(), known: z.array(z.object({ title: z.int(), sourceId: z.int() })) }),
  },

  listSources: {
    method: 'get',
    path: '/api/sources',
    summary: 'Sources of an order, a page at a time.',
    query: ofOrder.extend({
      lotId: lotChoice,
      filter: filterText,
      sort: SourceSort.default('came'),
      descending: z.stringbool().default(false),
      offset: z.coerce.number().int().min(0).default(0),
      limit: z.coerce.number().int().min(1).max(500).default(100),
    }),
    answer: z.object({ total: z.int(), rows: z.array(SourceRow) }),
  },
  listSourceIds: {
    method: 'get',
    path: '/api/source-ids',
    summary: 'Numbers of all sources that a filter lets through, for choosing many at once.',
    query: ofOrder.extend({ lotId: lotChoice, filter: filterText }),
    answer: z.array(z.int()),
  },
  countSources: {
    method: 'get',
    path: '/api/source-counts',
    summary:
      'How many sources an order has, and how many wait for a decision, are being read or measured, or cannot be used.',
    query: ofOrder,
    answer: SourceCounts,
  },
  readSource: {
    method: 'get',
    path: '/api/sources/{id}',
    summary: 'One source with its facts and findings.',
    parameters: idParameter,
    answer: SourceRecord,
  },
  measureSources: {
    method: 'post',
    path: '/api/sources/measurements',
    summary: 'Has sources measured again, more deeply, or looked through for cuts, in the background.',
    body: sourceIds.extend({ depth: MeasureWish }),
    answer: z.object({ queued: z.int() }),
  },
  stopMeasuring: {
    method: 'post',
    path: '/api/sources/measurement-stops',
    summary: 'Ends measurements that wait or are under way; what was found before stays.',
    body: sourceIds,
    answer: z.object({ stopped: z.int() }),
  },
  readMeasurement: {
    method: 'get',
    path: '/api/sources/{id}/measurement',
    summary: 'What was measured of a source, number by number.',
    parameters: idParameter,
    answer: Measurement,
  },
  sourceStrip: {
    method: 'get',
    path: '/api/sources/{id}/strip',
    summary: "Places, in seconds, of a source's strip of small pictures.",
    parameters: idParameter,
    answer: z.array(z.number()),
  },
  sourceStripPicture: {
    method: 'get',
    path: '/api/sources/{id}/strip/{index}',
    summary: "One picture of a source's strip.",
    parameters: z.object({ id, index: z.coerce.number().int().min(0) }),
    contentType: 'image/webp',
  },
  sourceFrame: {
    method: 'get',
    path: '/api/sources/{id}/frame',
    summary: 'The frame of a source that is shown at a time, as PNG.',
    parameters: idParameter,
    query: z.object({ seconds: z.coerce.number().min(0, 'must not be negative').max(1e6) }),
    contentType: 'image/png',
  },
  sourceOriginal: {
    method: 'get',
    path: '/api/sources/{id}/original',
    summary: "A source's own file, for browsers that can play it; ranges of bytes can be asked for.",
    parameters: idParameter,
    contentType: 'application/octet-stream',
  },
  sourceProxy: {
    method: 'get',
    path: '/api/sources/{id}/proxy',
    summary: `A small MP4 of up to ${proxyPieceSeconds} s of a source from a place on, with one of its sound tracks, made when it is asked for.`,
    parameters: idParameter,
    query: z.object({
      seconds: z.coerce.number().min(0, 'must not be negative').max(1e6),
      sound: z.coerce.number().int().min(0, 'must not be negative').max(255).default(0),
    }),
    contentType: 'video/mp4',
  },
  bringIn: {
    method: 'post',
    path: '/api/sources',
    summary:
      'Brings files, sequences and disc titles of volumes into an order; their facts are read in the background.',
    body: z.object({
      orderId: rowNumber,
      arrivals: z.array(ArrivalBody).min(1, 'name at least one').max(5000, 'name at most 5000'),
    }),
    answer: z.object({ brought: z.array(SourceRecord), alreadyThere: z.int() }),
    status: 201,
  },
  readAgain: {
    method: 'post',
    path: '/api/sources/{id}/read-again',
    summary:
      "Reads a source's facts once more; of a sequence with the frames that are there now, at another frame rate if one is given.",
    parameters: idParameter,
    body: z.object({ frameRate: frameRate.optional() }),
    answer: SourceRecord,
  },
  expectLastFrame: {
    method: 'patch',
    path: '/api/sources/{id}',
    summary: 'Says which frame of a sequence will be its last, or that nobody knows.',
    parameters: idParameter,
    body: z.object({ expectedLast: z.int().min(0, 'must not be negative').max(99_999_999, 'is too large').nullable() }),
    answer: SourceRecord,
  },
  removeSource: {
    method: 'delete',
    path: '/api/sources/{id}',
    summary: 'Takes a source out of its order; the material is not touched.',
    parameters: idParameter,
    status: 204,
  },
  sourcePoster: {
    method: 'get',
    path: '/api/sources/{id}/poster',
    summary: 'A small picture of a source.',
    parameters: idParameter,
    contentType: 'image/webp',
  },

  listLots: {
    method: 'get',
    path: '/api/lots',
    summary: 'Lots of an order with what of them a filter lets through.',
    query: ofOrder.extend({ filter: filterText }),
    answer: z.array(LotRecord),
  },
  renameLot: {
    method: 'patch',
    path: '/api/lots/{id}',
    summary: 'Gives a lot a name, or its letter back.',
    parameters: idParameter,
    body: z.object({ name: text(80).nullable() }),
    status: 204,
  },
  moveToLot: {
    method: 'post',
    path: '/api/lots/moves',
    summary: 'Moves sources into a lot, or into a new one. They stay there whatever is found of them later.',
    body: z.object({ sourceIds: ids, lotId: rowNumber.nullable() }),
    answer: z.object({ lotId: z.int() }),
  },
  mergeLots: {
    method: 'post',
    path: '/api/lots/merges',
    summary: 'Joins lots into the first of them.',
    body: z.object({ ids: z.array(rowNumber).min(2, 'name at least two').max(500) }),
    status: 204,
  },
  groupAgain: {
    method: 'post',
    path: '/api/lots/groupings',
    summary: 'Lets sources go back to the lots that their likeness gives them.',
    body: z.object({ sourceIds: ids }),
    status: 204,
  },

  listTreatments: {
    method: 'get',
    path: '/api/treatments',
    summary: 'Treatments of the library, every version.',
    answer: z.array(TreatmentRecord),
  },
  keepTreatment: {
    method: 'post',
    path: '/api/treatments',
    summary: 'Keeps steps as the next version of a treatment, or as a new one. Versions are never changed.',
    body: z.object({ name: text(80), steps: Steps }),
    answer: TreatmentRecord,
    status: 201,
  },
  joinSources: {
    method: 'post',
    path: '/api/sources/joins',
    summary:
      'Makes one source of several that are played one after the other. They must be alike and lie in one volume.',
    body: z.object({
      sourceIds: z
        .array(rowNumber)
        .min(joinLimits.fewest, 'name two at least')
        .max(joinLimits.most, `name at most ${joinLimits.most}`),
    }),
    answer: SourceRecord,
    status: 201,
  },
  listAssets: {
    method: 'get',
    path: '/api/assets',
    summary: 'Lookup tables and pictures that steps can name.',
    answer: z.array(AssetRecord),
  },
  keepAsset: {
    method: 'post',
    path: '/api/assets',
    summary: 'Keeps a lookup table (.cube) or a picture in the library. Pictures are kept as PNG.',
    body: z.object({ name: text(120), kind: AssetKind, data: z.base64() }),
    answer: AssetRecord,
    status: 201,
  },
  readAsset: {
    method: 'get',
    path: '/api/assets/{sha256}',
    summary: 'A lookup table or picture with its bytes.',
    parameters: z.object({ sha256: AssetRecord.shape.sha256 }),
    answer: AssetRecord.extend({ data: z.base64() }),
  },
  treatLots: {
    method: 'post',
    path: '/api/lots/treatments',
    summary: 'Gives lots a treatment, or takes theirs away.',
    body: z.object({
      lotIds: z.array(rowNumber).min(1, 'name at least one').max(500),
      treatmentId: rowNumber.nullable(),
    }),
    status: 204,
  },
  suggestSteps: {
    method: 'get',
    path: '/api/sources/{id}/suggestion',
    summary: "The steps that a source's findings suggest, each with its reason.",
    parameters: idParameter,
    answer: z.array(z.object({ step: Step, because: z.string() })),
  },
  applySteps: {
    method: 'post',
    path: '/api/sources/{id}/application',
    summary: 'What steps and a spec would make of a source, and what is put in another order; nothing is kept.',
    parameters: idParameter,
    body: z.object({ specKey: text(80), steps: Steps }),
    answer: z.object({
      steps: Steps,
      moved: z.array(z.string()),
      refused: z.string().nullable(),
      treatment: Treatment.nullable(),
    }),
  },
  readMoments: {
    method: 'get',
    path: '/api/sources/{id}/moments',
    summary: 'The moments of a source that trials are made on.',
    parameters: idParameter,
    answer: z.object({ moments: z.array(Moment), byHand: z.boolean() }),
  },
  setMoments: {
    method: 'put',
    path: '/api/sources/{id}/moments',
    summary: 'Sets the moments of a source; null lets its measurement choose them.',
    parameters: idParameter,
    body: z.object({
      moments: z
        .array(
          Moment.refine(
            moment => moment.to - moment.from <= longestMomentSeconds,
            `is longer than ${longestMomentSeconds} s`,
          ),
        )
        .min(1, 'name at least one')
        .max(mostMoments, `name at most ${mostMoments}`)
        .nullable(),
    }),
    answer: z.object({ moments: z.array(Moment), byHand: z.boolean() }),
  },
  listTrials: {
    method: 'get',
    path: '/api/trials',
    summary: 'Trials of an order, or of one source, oldest first.',
    query: ofOrder.extend({ sourceId: id.optional() }),
    answer: z.array(TrialRecord),
  },
  askForTrials: {
    method: 'post',
    path: '/api/trials',
    summary: 'Tries treatments on the moments of a source, each as a job would be done, ahead of the jobs.',
    body: z.object({
      sourceId: rowNumber,
      specKey: text(80),
      wishes: z
        .array(z.object({ label: text(120), steps: Steps }))
        .min(1, 'name at least one')
        .max(12, 'name at most 12'),
    }),
    answer: z.object({
      trials: z.array(TrialRecord),
      refused: z.array(z.object({ label: z.string(), reason: z.string() })),
    }),
    status: 201,
  },
  removeTrials: {
    method: 'post',
    path: '/api/trials/removals',
    summary: 'Takes trials away; one that runs is ended.',
    body: z.object({ ids }),
    status: 204,
  },
  trialLook: {
    method: 'get',
    path: '/api/trials/{id}/moments/{index}/look',
    summary: 'One picture from the middle of a tried moment, as JPEG.',
    parameters: momentParameters,
    contentType: 'image/jpeg',
  },
  trialSheet: {
    method: 'get',
    path: '/api/trials/{id}/moments/{index}/sheet',
    summary:
      "All pictures of a tried moment, or of its source, for playing; of sound alone a drawing with a line that wanders over it: a header's length (4 bytes, little-endian), the header as JSON, then a JPEG of each frame.",
    parameters: momentParameters,
    query: z.object({ side: z.enum(['source', 'result']) }),
    contentType: 'application/octet-stream',
  },
  trialFrame: {
    method: 'get',
    path: '/api/trials/{id}/moments/{index}/frame',
    summary: "One frame of a tried moment, or of its source, at a time from the moment's start, as PNG.",
    parameters: momentParameters,
    query: z.object({
      side: z.enum(['source', 'result']),
      seconds: z.coerce.number().min(0, 'must not be negative').max(1e6),
    }),
    contentType: 'image/png',
  },
  trialSound: {
    method: 'get',
    path: '/api/trials/{id}/moments/{index}/sound',
    summary: 'Sound of a tried moment, or of its source, as WAV.',
    parameters: momentParameters,
    query: z.object({ side: z.enum(['source', 'result']) }),
    contentType: 'audio/wav',
  },
  trialOutput: {
    method: 'get',
    path: '/api/trials/{id}/moments/{index}/output',
    summary:
      'The encoded file of a tried moment, with the media type of its container; ranges of bytes can be asked for.',
    parameters: momentParameters,
    contentType: '*/*',
  },

  beginScan: {
    method: 'post',
    path: '/api/scans',
    summary: 'Goes through a folder and all below it in the background, and brings in what it holds.',
    body: folderBody,
    answer: ScanRecord,
    status: 201,
  },
  listScans: {
    method: 'get',
    path: '/api/scans',
    summary: 'Folders of an order that are or were gone through, newest first.',
    query: ofOrder,
    answer: z.array(ScanRecord),
  },
  stopScan: {
    method: 'post',
    path: '/api/scans/{id}/stop',
    summary: 'Ends going through a folder where it stands; what came in stays.',
    parameters: idParameter,
    answer: ScanRecord,
  },
  beginWatch: {
    method: 'post',
    path: '/api/watches',
    summary: 'Watches a folder: new files come in once they have stopped growing.',
    body: folderBody,
    answer: WatchRecord,
    status: 201,
  },
  listWatches: {
    method: 'get',
    path: '/api/watches',
    summary: 'Watched folders of an order.',
    query: ofOrder,
    answer: z.array(WatchRecord),
  },
  endWatch: {
    method: 'delete',
    path: '/api/watches/{id}',
    summary: 'Watches a folder no longer.',
    parameters: idParameter,
    status: 204,
  },

  listInventory: {
    method: 'get',
    path: '/api/planned-sources',
    summary: "An order's inventory: material that is announced, and the sources it turned out to be.",
    query: ofOrder,
    answer: z.array(PlannedRecord),
  },
  addToInventory: {
    method: 'post',
    path: '/api/planned-sources',
    summary: "Adds items to an order's inventory; those whose names it has already are left as they are.",
    body: z.object({
      orderId: rowNumber,
      sources: z.array(PlannedSource).min(1, 'name at least one').max(10_000, 'name at most 10000'),
    }),
    answer: z.object({ added: z.int(), alreadyThere: z.int() }),
    status: 201,
  },
  planInventory: {
    method: 'post',
    path: '/api/planned-sources/plans',
    summary:
      'Plans announced material with a spec, or without one: it can then be counted when all orders are looked at ahead.',
    body: z.object({ ids: z.array(rowNumber).min(1).max(10_000), specKey: z.string().nullable() }),
    status: 204,
  },
  expectInventory: {
    method: 'post',
    path: '/api/planned-sources/arrivals',
    summary: 'Says when announced material is expected, or that nobody knows: no plan begins with it before.',
    body: z.object({ ids: z.array(rowNumber).min(1).max(10_000), expectedAt: z.iso.datetime().nullable() }),
    status: 204,
  },
  removeFromInventory: {
    method: 'post',
    path: '/api/planned-sources/removals',
    summary: 'Takes items out of an inventory; sources stay.',
    body: z.object({ ids: z.array(rowNumber).min(1).max(10_000) }),
    status: 204,
  },

  listDrives: {
    method: 'get',
    path: '/api/drives',
    summary: 'Disc drives, with the discs on their shelves.',
    answer: z.array(DriveRecord),
  },
  changeDrive: {
    method: 'patch',
    path: '/api/drives/{id}',
    summary: 'Loads or ejects a disc, or sets how fast the stand-in reads and which sectors it fails at.',
    parameters: idParameter,
    body: z
      .object({
        disc: z.string().min(1, 'is empty').max(255).nullable(),
        speed: z.number().min(0.1, 'must be at least 0.1').max(64, 'must be at most 64'),
        badSectors: sectorRanges,
      })
      .partial(),
    answer: DriveRecord,
  },
  beginCopy: {
    method: 'post',
    path: '/api/disc-copies',
    summary: 'Reads the disc in a drive into an image of a source volume in the background, and brings in its titles.',
    body: z.object({ orderId: rowNumber, driveId: rowNumber, volumeId: rowNumber }),
    answer: DiscCopyRecord,
    status: 201,
  },
  listCopies: {
    method: 'get',
    path: '/api/disc-copies',
    summary: 'Discs of an order that are or were read in, newest first.',
    query: ofOrder,
    answer: z.array(DiscCopyRecord),
  },
  stopCopy: {
    method: 'post',
    path: '/api/disc-copies/{id}/stop',
    summary: 'Ends reading a disc; nothing of it is kept.',
    parameters: idParameter,
    answer: DiscCopyRecord,
  },

  listSpecs: {
    method: 'get',
    path: '/api/specs',
    summary: 'The newest version of every delivery spec.',
    answer: z.array(SpecRecord),
  },
  createSpec: {
    method: 'post',
    path: '/api/specs',
    summary: 'Keeps a new delivery spec. One that makes no sense is refused with what is wrong.',
    body: SpecDraft,
    answer: SpecRecord,
    status: 201,
  },
  changeSpec: {
    method: 'post',
    path: '/api/specs/{key}/versions',
    summary:
      'Keeps the next version of a delivery spec that a person made; jobs keep the version that they were drafted with.',
    parameters: z.object({ key: text(80) }),
    body: SpecDraft,
    answer: SpecRecord,
    status: 201,
  },

  summariseWork: {
    method: 'get',
    path: '/api/work',
    summary:
      "An order's work in figures: how many jobs are where, what they take, when all is done; and the jobs that are being done now.",
    query: ofOrder,
    answer: WorkSummary.extend({ active: z.array(PlannedJobRecord) }),
  },
  listJobs: {
    method: 'get',
    path: '/api/jobs',
    summary: 'Jobs of an order, a page at a time, with their ends in the plan in seconds from when it was made.',
    query: jobQuery.extend({
      descending: z.stringbool().default(false),
      offset: z.coerce.number().int().min(0).default(0),
      limit: z.coerce.number().int().min(1).max(500).default(100),
    }),
    answer: z.object({ at: z.iso.datetime(), total: z.int(), jobs: z.array(PlannedJobRecord) }),
  },
  listJobIds: {
    method: 'get',
    path: '/api/job-ids',
    summary: 'Numbers of all jobs of a choice, for acting on many at once.',
    query: jobQuery,
    answer: z.array(z.int()),
  },
  listJobLots: {
    method: 'get',
    path: '/api/job-lots',
    summary: "An order's jobs by lot: what each lot's take together.",
    query: jobQuery,
    answer: z.object({ at: z.iso.datetime(), lots: z.array(LotWork) }),
  },
  listJobSpecs: {
    method: 'get',
    path: '/api/job-specs',
    summary:
      "An order's jobs by spec: what the jobs of each take together, and how like their results will be at least.",
    query: jobQuery,
    answer: z.object({ at: z.iso.datetime(), specs: z.array(SpecWork) }),
  },
  listChecksums: {
    method: 'get',
    path: '/api/checksums',
    summary:
      "SHA-256 of an order's finished files, a line for each as the common checksum programs read them; names with a backslash or a line break are escaped as those programs do.",
    query: ofOrder,
    contentType: 'text/plain',
  },
  draftJobs: {
    method: 'post',
    path: '/api/jobs',
    summary:
      'Drafts a job for each source and spec, and has what its forecast needs measured. Of a large batch the answer has only how many; the jobs themselves are told of as they change.',
    body: z.object({
      deliveryVolumeId: rowNumber,
      wishes: z
        .array(z.object({ sourceId: rowNumber, specKey: text(80) }))
        .min(1, 'name at least one')
        .max(mostRows, `name at most ${mostRows}`),
      /** With it, the event stream tells how far the drafting is, under this name. A caller that leaves before the answer stops it. */
      progressName: z.uuid().optional(),
    }),
    answer: z.object({
      drafted: z.int(),
      jobs: z.array(JobRecord),
      refused: z.array(z.object({ sourceId: z.int(), specKey: z.string(), reason: z.string() })),
    }),
    status: 201,
  },
  readJob: {
    method: 'get',
    path: '/api/jobs/{id}',
    summary: 'One job with its treatment, its check and all that happened to it.',
    parameters: idParameter,
    answer: JobDetail,
  },
  actOnJobs: {
    method: 'post',
    path: '/api/jobs/actions',
    summary: 'Releases, holds, resumes, cancels or tries again jobs, or removes drafts.',
    body: z.object({ ids, action: z.enum(['release', 'hold', 'resume', 'cancel', 'retry', 'remove']) }),
    answer: z.object({ done: z.int(), refused: z.array(z.object({ id: z.int(), reason: z.string() })) }),
  },
  moveJobs: {
    method: 'post',
    path: '/api/jobs/moves',
    summary: 'Moves jobs to just before another one, or to the end.',
    body: z.object({ ids, beforeId: rowNumber.nullable() }),
    status: 204,
  },
  suggestOrder: {
    method: 'get',
    path: '/api/order-of-work',
    summary:
      'Whether orders are done by their due times as jobs wait now, and an order of the jobs in which less is late.',
    query: ofOrder,
    answer: OrderSuggestion,
  },
  orderJobs: {
    method: 'post',
    path: '/api/order-of-work',
    summary: 'Has waiting jobs begun in the order given, in the places that they have together.',
    body: z.object({ ids, because: z.enum(['due times', 'as supposed', 'put back']) }),
    answer: z.object({ moved: z.int().min(0) }),
  },
  lookAhead: {
    method: 'get',
    path: '/api/outlook',
    summary:
      "What comes of all orders' jobs as they are, or as is supposed (JSON): ends, how probable each due time is, and how delivery volumes fill.",
    query: z.object({ supposed: z.preprocess(fromJson, WhatIf) }),
    answer: Outlook,
  },
  chooseWays: {
    method: 'post',
    path: '/api/ways',
    summary:
      "The ways in which an order's lots can be done as they are drafted, and the one of each that keeps most likeness within the limits asked for. Nothing is changed.",
    body: WaysAsked.extend({ orderId: id }),
    answer: Ways,
  },
  listRenderTests: {
    method: 'get',
    path: '/api/render-tests',
    summary: "An order's measured jobs with a picture: each can stand for frames that are still to be rendered.",
    query: ofOrder,
    answer: z.array(RenderTestRecord),
  },
  renderOrTreat: {
    method: 'post',
    path: '/api/render-or-treat',
    summary:
      'Holds two ways to the same frames against each other: rendered as they are wanted, or at a reduced cost and treated here. Nothing is changed.',
    body: RenderQuestion.extend({ orderId: id }),
    answer: RenderAnswer,
  },
  announceRenders: {
    method: 'post',
    path: '/api/render-or-treat/announcements',
    summary: "Announces the shots of a way in the order's inventory, planned to be done like its test.",
    body: RenderQuestion.extend({
      orderId: id,
      way: z.enum(['full', 'reduced']),
      name: z.string().trim().min(1, 'is empty').max(200, 'is longer than 200 characters'),
    }),
    answer: z.object({ added: z.int(), alreadyThere: z.int() }),
    status: 201,
  },
  readComparison: {
    method: 'get',
    path: '/api/render-comparisons',
    summary: "How like a job's treated frames are to those of another that shows the same, as far as that is known.",
    query: comparedJobs,
    answer: ComparisonRecord,
  },
  compareRenders: {
    method: 'post',
    path: '/api/render-comparisons',
    summary: "Has a job's treated frames compared with those of another that shows the same.",
    query: comparedJobs,
    answer: ComparisonRecord,
  },
  stopComparison: {
    method: 'delete',
    path: '/api/render-comparisons',
    summary: 'Stops a comparison that is still to be made.',
    query: comparedJobs,
    answer: ComparisonRecord,
  },
  listEvents: {
    method: 'get',
    path: '/api/job-events',
    summary:
      "What happened to an order's jobs, newest first. What was done to many at once is one event, whose number gives the others.",
    query: ofOrder.extend({
      limit: z.coerce.number().int().min(1).max(500).default(100),
      before: id.optional(),
      action: id.optional(),
    }),
    answer: z.array(JobEventRecord),
  },
  addStep: {
    method: 'post',
    path: '/api/jobs/{id}/steps',
    summary: "Adds a step to the treatment of the lot that a draft belongs to, and works out the lot's drafts anew.",
    parameters: idParameter,
    body: z.object({ step: Step }),
    answer: z.object({ jobs: z.array(JobRecord), refused: z.array(z.string()) }),
  },
  measureAgain: {
    method: 'post',
    path: '/api/jobs/{id}/measure-again',
    summary: "Measures the sample behind a job's forecast, also once more, before all that nobody asked for by hand.",
    parameters: idParameter,
    answer: JobRecord,
  },
  readCurve: {
    method: 'get',
    path: '/api/jobs/{id}/curve',
    summary: "A draft's curve of rate and quality: what its source comes to in its codec at other qualities.",
    parameters: idParameter,
    answer: CurveRecord,
  },
  measureCurve: {
    method: 'post',
    path: '/api/jobs/{id}/curve',
    summary:
      "Has a draft's curve of rate and quality measured; one that is there already is measured again where that is asked for.",
    parameters: idParameter,
    query: z.object({ anew: z.stringbool().default(false) }),
    answer: CurveRecord,
  },
  curvePicture: {
    method: 'get',
    path: '/api/jobs/{id}/curve/pictures/{value}',
    summary:
      "The frame that a draft's curve keeps, as PNG: treated and not encoded, or as it is at one of the curve's values.",
    parameters: z.object({ id, value: z.union([z.literal('treated'), z.coerce.number()]) }),
    contentType: 'image/png',
  },
  stopCurve: {
    method: 'delete',
    path: '/api/jobs/{id}/curve',
    summary: "Stops measuring a draft's curve.",
    parameters: idParameter,
    answer: CurveRecord,
  },
  chooseQuality: {
    method: 'post',
    path: '/api/jobs/{id}/quality',
    summary:
      'Gives a draft, or all drafts of its lot with its spec, a spec that holds another quality; that spec is kept in the library.',
    parameters: idParameter,
    body: z.object({ value: z.number(), of: z.enum(['draft', 'lot']) }),
    answer: z.object({ jobs: z.array(JobRecord), refused: z.array(z.string()) }),
  },
  readLotCurve: {
    method: 'get',
    path: '/api/jobs/{id}/lot-curve',
    summary:
      "What the drafts of a draft's lot that have its spec come to together, when all are equally like their treated sources.",
    parameters: idParameter,
    answer: LotCurveRecord,
  },
  measureLotCurves: {
    method: 'post',
    path: '/api/jobs/{id}/lot-curve',
    summary: "Has curves measured that stand for a draft's lot, a few more each time.",
    parameters: idParameter,
    answer: LotCurveRecord,
  },
  chooseLotQuality: {
    method: 'post',
    path: '/api/jobs/{id}/lot-quality',
    summary:
      "Gives the drafts of a draft's lot that have its spec one that aims at the same likeness for all; that spec is kept in the library.",
    parameters: idParameter,
    body: z.object({ xpsnr: z.number().min(25).max(60) }),
    answer: z.object({ jobs: z.array(JobRecord), refused: z.array(z.string()) }),
  },
  jobFrame: {
    method: 'get',
    path: '/api/jobs/{id}/frames/{index}',
    summary: 'One frame of a finished job, before or after, as PNG.',
    parameters: z.object({ id, index: z.coerce.number().int('must be a whole number').min(0, 'must not be negative') }),
    query: z.object({ side: z.enum(['source', 'treated', 'result']) }),
    contentType: 'image/png',
  },
  jobOutput: {
    method: 'get',
    path: '/api/jobs/{id}/output',
    summary:
      'The finished file itself, with the media type of its container, or one that lies beside it; ranges of bytes can be asked for.',
    parameters: idParameter,
    query: z.object({
      /** What the name of a file beside it adds: ".en.srt". */
      beside: z.string().max(100).optional(),
    }),
    contentType: '*/*',
  },

  health: {
    method: 'get',
    path: '/api/health',
    summary: 'How the web server itself does: the delays of its event loop over the last one to two minutes.',
    answer: Health,
  },
  listOutcomes: {
    method: 'get',
    path: '/api/forecast-outcomes',
    summary: 'Finished jobs against what was forecast of them when they were begun, newest first.',
    query: z.object({ limit: z.coerce.number().int().min(1).max(mostOutcomesListed).default(mostOutcomesListed) }),
    answer: z.object({
      /** Of all that are kept. */
      total: z.int().min(0),
      outcomes: z.array(ForecastOutcome),
      /** Of how many results the ranges of a kind of work, or of all of a basis, are made now; those that are not there are made of samples. */
      calibrated: z.record(z.string(), z.int().positive()),
    }),
  },
  listWorkers: {
    method: 'get',
    path: '/api/workers',
    summary: 'Workers that are there.',
    answer: z.array(WorkerRecord),
  },
  changeWorker: {
    method: 'patch',
    path: '/api/workers/{id}',
    summary:
      'Gives a worker lanes, now and whenever it is started again. With fewer than it works in, what was begun is finished and nothing new is taken; with none, it takes no jobs or parts of them and still reads and measures.',
    parameters: z.object({ id: z.uuid() }),
    body: z.object({ lanes: z.int().min(0).max(mostLanes, `is more than ${mostLanes}`) }),
    answer: WorkerRecord,
  },
  changeFault: {
    method: 'put',
    path: '/api/workers/{id}/fault',
    summary:
      'Gives the stand-in GPU of a worker a fault, or takes it away with null: with "out of memory" and "lost" it takes no work until that is over, "throttled" takes three times as long, and "wrong output" encodes some pictures that it was not given, which every check must find.',
    parameters: z.object({ id: z.uuid() }),
    body: z.object({ fault: StandInFault.nullable() }),
    answer: WorkerRecord,
  },
  workingHours: {
    method: 'get',
    path: '/api/working-hours',
    summary: 'The hours in which jobs are worked on; null for any time.',
    answer: HoursSetting,
  },
  changeWorkingHours: {
    method: 'patch',
    path: '/api/working-hours',
    summary:
      'Sets the hours in which jobs are worked on, or until when they are worked on whatever the hours say; what is left out stays. Out of hours nothing is begun, and jobs that run are paused where they are; reading, measuring and trials go on.',
    body: HoursSetting.partial(),
    answer: HoursSetting,
  },
  liveChanges: {
    method: 'get',
    path: '/api/events',
    summary: 'Server-sent events: what changed in an order, as it changes.',
    query: ofOrder,
    contentType: 'text/event-stream',
  },
  describe: { method: 'get', path: '/api/openapi.json', summary: 'This description.', answer: z.looseObject({}) },
} as const satisfies Record<string, Route>

export type RouteName = keyof typeof api

/** What the event stream sends: records that are new or changed, and numbers of those that are gone. */
export const LiveChange = z.object({
  orders: z.array(OrderRecord),
  /** Numbers of jobs that changed or are gone; null when they are too many to name, so that every list is asked for again. */
  jobIds: z.array(z.int()).nullable(),
  /** Of those that changed, the ones that are being done: how far they are. */
  active: z.array(JobRecord),
  /** Whether jobs of other orders changed, which take their turn on the same lanes. */
  otherJobs: z.boolean(),
  /** Numbers of sources that changed or are gone: whoever shows them asks again. */
  sourceIds: z.array(z.int()),
  /** Whether the lots should be asked for again. */
  lots: z.boolean(),
  scans: z.array(ScanRecord),
  copies: z.array(DiscCopyRecord),
  watches: z.array(WatchRecord),
  goneWatches: z.array(z.int()),
  /** All workers, when any of them changed. */
  workers: z.array(WorkerRecord).nullable(),
  /** The hours in which jobs are worked on, when they changed. */
  hours: HoursSetting.nullable(),
  /** Whether the volumes should be asked for again. */
  volumes: z.boolean(),
  /** Whether the inventory should be asked for again. */
  inventory: z.boolean(),
  /** Whether the drives should be asked for again. */
  drives: z.boolean(),
  trials: z.array(TrialRecord),
  goneTrials: z.array(z.int()),
  /** Whether the treatments of the library should be asked for again. */
  treatments: z.boolean(),
  /** Whether the specs should be. */
  specs: z.boolean(),
  /** Whether curves of rate and quality should be, and comparisons of treated frames. */
  curves: z.boolean(),
  comparisons: z.boolean(),
  /** Whether results held against their forecasts should be. */
  outcomes: z.boolean(),
})
export type LiveChange = z.infer<typeof LiveChange>

/** What the event stream sends while many jobs are drafted. */
export const DraftingProgress = z.object({ name: z.uuid(), done: z.int(), of: z.int() })
export type DraftingProgress = z.infer<typeof DraftingProgress>
