export type Ramp = [number, number, number, number]

const SOFT = 0.15

/** The ramp with one of its four corners moved; the others make way, none leaves 0…1. */
export function movedCorner(ramp: Ramp, corner: number, to: number): Ramp {
  const at = Number(Math.min(1, Math.max(0, to)).toFixed(3))
  return ramp.map((value, i) => {
    if (i === corner) return at
    return i < corner ? Math.min(value, at) : Math.max(value, at)
  }) as Ramp
}

/** The whole ramp moved, as far as both ends stay inside. */
export function movedRamp(ramp: Ramp, by: number): Ramp {
  const held = Math.max(-ramp[0], Math.min(1 - ramp[3], by))
  return ramp.map((value) => Number((value + held).toFixed(3))) as Ramp
}

export const isSharp = (ramp: Ramp) => ramp[1] - ramp[0] < 0.01 && ramp[3] - ramp[2] < 0.01

/** With both ends sharp, cut where they let half through; or soft again. An end that lies on black or white stays. */
export function withEnds(ramp: Ramp, sharp: boolean): Ramp {
  const [low, high] = [(ramp[0] + ramp[1]) / 2, (ramp[2] + ramp[3]) / 2]
  const reach = sharp ? 0 : SOFT / 2
  const ends = [low - (ramp[1] > 0 ? reach : 0), low + (ramp[1] > 0 ? reach : 0)]
  ends.push(high - (ramp[2] < 1 ? reach : 0), high + (ramp[2] < 1 ? reach : 0))
  const inside = ends.map((value) => Number(Math.min(1, Math.max(0, value)).toFixed(3))) as Ramp
  return inside[1] <= inside[2] ? inside : ramp
}
