import type { SourceFacts } from '../facts.ts'
import { describeClock } from '../format.ts'
import type { MeasuredPicture, MeasuredSound } from '../measurement.ts'
import { finding, moment, stretch, sureBeyond, type Finding } from './finding.ts'

/** Clipped runs a minute that are more than a single slip. */
const clippedLimit = 6
/** Hum must be this loud (dBFS) and stand out from its surroundings by this much (dB). */
const humLevel = -72
const humAbove = 14
/** Hum may be this much louder at times, in dB. */
const humSpread = 12
const silentChannel = -70
const audible = -55
const opposite = -0.5
const shortestSilence = 1.5
/** Sound may end this long before or after the picture, in seconds, before it is worth a word. */
const lengthTolerance = 0.3

const level = (decibels: number) => `${decibels.toFixed(1)} dBFS`

/** What one sound track shows. @param name what the track is called in sentences: "Sound 1" */
function trackFindings(sound: MeasuredSound, name: string, track: number): Finding[] {
  const { channels } = sound
  if (channels.every(channel => channel.rms < silentChannel))
    return [
      finding('silence', 'fault', `${name} is silent throughout.`, {
        value: sound.secondsMeasured,
        unit: 's',
        sure: 0.97,
        places: [stretch(0, sound.secondsMeasured)],
        suggests: 'Drop the track',
        data: { track },
      }),
    ]
  const found: Finding[] = []
  const quietest = Math.max(...channels.map(channel => channel.floor))
  found.push(
    finding(
      'loudness',
      'nature',
      `${name}: ${sound.loudness === null ? 'too quiet for a loudness' : `${sound.loudness.toFixed(1)} LUFS`}, true peak ${sound.truePeak === null ? 'unknown' : `${sound.truePeak.toFixed(1)} dBTP`}, quietest tenth ${level(quietest)}.`,
      { value: sound.loudness, unit: 'LUFS', sure: sound.whole ? 0.98 : 0.85, data: { track } },
    ),
  )

  const clipped = Math.max(...channels.map(channel => channel.clippedRunsPerMinute))
  if (clipped > clippedLimit)
    found.push(
      finding('clipped-sound', 'fault', `${name} is clipped: ${Math.round(clipped)} flattened peaks a minute.`, {
        value: clipped,
        unit: 'a minute',
        sure: sureBeyond(clipped, clippedLimit),
        places: sound.clippedAt.map(seconds => moment(seconds)),
        data: { track },
      }),
    )

  found.push(...humFindings(sound, name, track))

  const [first, second] = channels
  if (first && second && channels.length === 2) {
    const dead =
      first.rms < silentChannel && second.rms > audible
        ? 'left'
        : second.rms < silentChannel && first.rms > audible
          ? 'right'
          : null
    if (dead)
      found.push(
        finding('silent-channel', 'fault', `${name}: the ${dead} channel is silent.`, {
          value: Math.min(first.rms, second.rms),
          unit: 'dBFS',
          sure: 0.96,
          places: [moment(0)],
          suggests: `Put the ${dead === 'left' ? 'right' : 'left'} channel on both`,
          data: { track, channel: dead },
        }),
      )
    if (sound.correlation !== null && sound.correlation < opposite)
      found.push(
        finding(
          'out-of-phase',
          'fault',
          `${name}: the channels are opposed (correlation ${sound.correlation.toFixed(2)}) and cancel when mixed to one.`,
          {
            value: sound.correlation,
            unit: 'correlation',
            sure: Math.min(0.97, 0.5 - sound.correlation / 2),
            places: [moment(0)],
            suggests: 'Turn one channel over',
            data: { track },
          },
        ),
      )
  }
  const silences = sound.silences.filter(({ from, to }) => to - from >= shortestSilence)
  if (silences.length > 0) {
    const listed = silences
      .slice(0, 3)
      .map(({ from, to }) => `${describeClock(from)}-${describeClock(to)}`)
      .join(', ')
    found.push(
      finding(
        'silence',
        'fault',
        `${name} falls silent: ${listed}${silences.length > 3 ? ` and ${silences.length - 3} more` : ''}.`,
        {
          value: silences.reduce((sum, { from, to }) => sum + to - from, 0),
          unit: 's',
          sure: 0.9,
          places: silences.map(({ from, to }) => stretch(from, to)),
          data: { track },
        },
      ),
    )
  }
  return found
}

function humFindings({ hum }: MeasuredSound, name: string, track: number): Finding[] {
  const families = [50, 60].map(base => {
    const lines = hum.filter(entry => entry.hertz % base === 0 && entry.level > humLevel && entry.above > humAbove)
    return { base, lines, loudest: Math.max(-120, ...lines.map(line => line.level)) }
  })
  // Mains hum has its base or its double (of rectified mains); the multiples alone may be notes.
  const best = families
    .filter(
      ({ base, lines }) =>
        lines.some(line => line.hertz === base) || (lines.some(line => line.hertz === 2 * base) && lines.length > 1),
    )
    .sort((a, b) => b.loudest - a.loudest)[0]
  if (!best) return []
  // Hum is there all the time and never louder; a low note comes and goes.
  const steadiest = Math.min(
    ...best.lines
      .filter(line => line.hertz === best.base || line.hertz === 2 * best.base)
      .map(line => line.spread ?? 0),
  )
  if (steadiest > humSpread) return []
  const clearest = Math.max(...best.lines.map(line => line.above))
  return [
    finding(
      'hum',
      'fault',
      `${name} hums: ${best.lines.map(line => `${line.hertz} Hz`).join(', ')}, up to ${level(best.loudest)}.`,
      {
        value: best.loudest,
        unit: 'dBFS',
        sure: sureBeyond(clearest, humAbove),
        places: [moment(0)],
        suggests: `Take out ${best.base} Hz and its multiples`,
        data: { track, hertz: best.base as 50 | 60 },
      },
    ),
  ]
}

/** What the sound shows, and how its length fits the picture's. */
export function soundFindings(
  facts: SourceFacts,
  picture: MeasuredPicture | null,
  sounds: readonly MeasuredSound[],
): Finding[] {
  const found = sounds.flatMap((sound, index) =>
    trackFindings(sound, sounds.length === 1 ? 'The sound' : `Sound ${index + 1}`, index),
  )
  const pictureEnd = picture?.times.endSeconds ?? null
  for (const [index, sound] of sounds.entries()) {
    if (pictureEnd === null || sound.endSeconds === null) continue
    const difference = sound.endSeconds - pictureEnd
    if (Math.abs(difference) <= lengthTolerance) continue
    found.push(
      finding(
        'sound-length',
        'fault',
        `${sounds.length === 1 ? 'The sound' : `Sound ${index + 1}`} ends ${Math.abs(difference).toFixed(2)} s ${difference > 0 ? 'after' : 'before'} the picture.`,
        {
          value: difference,
          unit: 's',
          sure: 0.95,
          places: [moment(Math.max(0, Math.min(sound.endSeconds, pictureEnd) - 1))],
          suggests: 'Check that sound and picture are in step',
          data: { track: index },
        },
      ),
    )
  }
  return found
}
