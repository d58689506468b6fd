import type { ShortKind } from '@hematine/database'
import { compare } from './compare.ts'
import { copy } from './copy.ts'
import { curve } from './curve.ts'
import { facts } from './facts.ts'
import type { Kind } from './kind.ts'
import { measure } from './measure.ts'
import { poster } from './poster.ts'
import { sample } from './sample.ts'
import { scan } from './scan.ts'
import { trial } from './trial.ts'
import { unit } from './unit.ts'

/** Every kind of task but the jobs themselves. */
const registry: { readonly [Name in ShortKind]: Kind<Name> } = {
  scan,
  facts,
  poster,
  trial,
  sample,
  curve,
  compare,
  measure,
  copy,
  unit,
}

/** Kinds in the order in which lanes are filled: what people wait for goes first. */
export const kinds = Object.values(registry) as Kind[]
