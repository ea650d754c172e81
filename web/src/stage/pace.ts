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
  /** The first picture of a size makes what lies below as well, and says nothing of those that follow. */
  private first = true
  /** What pictures of each share took when they were last asked for, and how many have come since then. */
  private readonly took = new Map<number, { middle: number; since: number }>()

  get share(): number {
    return SHARES[this.at]!
  }

  /** A draft of the share that was asked for has come after so many milliseconds. */
  told(share: number, milliseconds: number) {
    if (share !== this.share) return
    for (const one of this.took.values()) one.since++
    if (this.first) {
      this.first = false
      return
    }
    this.times = [...this.times.slice(1 - LOOKED_AT), milliseconds]
    // Two that come very late say enough.
    if (this.times.length < LOOKED_AT && (this.times.length < 2 || Math.min(...this.times) < 2 * GOAL)) return
    const middle = [...this.times].sort((a, b) => a - b)[this.times.length >> 1]!
    this.took.set(this.at, { middle, since: 0 })
    const sharper = this.sharper()
    // Where it is not the pixels that take the time, a coarser picture shows less for nothing.
    if (sharper !== null && middle > WORTH * this.took.get(sharper)!.middle) this.go(sharper)
    else if (this.at > 0 && this.guess(middle, this.at - 1) < GOAL) this.go(this.at - 1)
    else if (middle > GOAL && this.at < SHARES.length - 1) {
      const next = this.at + 1
      // As coarse as is surely needed at once: every size on the way would be begun for a few pictures only.
      const to = next < SHARES.length - 1 && this.guess(middle, next) > GOAL ? next + 1 : next
      if (this.wouldHelp(to, middle)) this.go(to)
    }
  }

  /** Nothing moves any more: what moves next may be another thing. */
  rested() {
    this.took.clear()
    this.times = []
    this.first = true
  }

  /** The coarsest share of those that are sharper and of which something is known. */
  private sharper(): number | null {
    for (let at = this.at - 1; at >= 0; at--) if (this.took.has(at)) return at
    return null
  }

  /** Milliseconds that a picture of another share would take, if it is the pixels that take the time. */
  private guess(middle: number, at: number): number {
    return middle * (SHARES[at]! / this.share) ** 2
  }

  private wouldHelp(at: number, middle: number): boolean {
    const coarser = this.took.get(at)
    return !coarser || coarser.since > PATIENCE || coarser.middle <= WORTH * middle
  }

  private go(at: number) {
    this.at = at
    this.times = []
    this.first = true
  }
}
