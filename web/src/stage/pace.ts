/** Shares of the screen's pixels at which a picture is drawn while something moves, the sharpest first. */
const SHARES = [1 / 2, 1 / 3, 1 / 4, 1 / 6]
/** Milliseconds in which a picture should come while something moves. */
const GOAL = 65
const LOOKED_AT = 3
/** Share of a sharper picture's time that a coarser one may take at most, and for how many pictures that is believed. */
const WORTH = 0.9
const PATIENCE = 20

/**
 * How sharp a draft may be: as sharp as comes back in time. It becomes coarser once pictures come late and that helps,
 * and sharper again when one of the next size would come in time as well: a size that changes with every picture would
 * find nothing kept of the one before.
 */
export class Pace {
  private at = 0
  private times: number[] = []
  /** What pictures of each share took when they were last asked for, and how many have come since then. */
  private readonly took = new Map<number, { middle: number; since: number }>()

  get share(): number {
    return SHARES[this.at]!
  }

  /** A draft of the share that was asked for has come after so many milliseconds. */
  told(share: number, milliseconds: number) {
    if (share !== this.share) return
    for (const one of this.took.values()) one.since++
    this.times = [...this.times.slice(1 - LOOKED_AT), milliseconds]
    if (this.times.length < LOOKED_AT) return
    const middle = [...this.times].sort((a, b) => a - b)[1]!
    this.took.set(this.at, { middle, since: 0 })
    const sharper = SHARES[this.at - 1]
    // Where it is not the pixels that take the time, a coarser picture shows less for nothing.
    const helps = middle <= WORTH * (this.took.get(this.at - 1)?.middle ?? Infinity)
    if (!helps || (sharper && middle * (sharper / this.share) ** 2 < GOAL)) this.go(-1)
    else if (middle > GOAL && this.at < SHARES.length - 1 && this.wouldHelp(middle)) this.go(1)
  }

  /** Nothing moves any more: what moves next may be another thing. */
  rested() {
    this.took.clear()
    this.times = []
  }

  private wouldHelp(middle: number): boolean {
    const coarser = this.took.get(this.at + 1)
    return !coarser || coarser.since > PATIENCE || coarser.middle <= WORTH * middle
  }

  private go(by: number) {
    this.at += by
    this.times = []
  }
}
