/** Shares of the screen's pixels at which a picture is drawn while something moves, the sharpest first. */
const SHARES = [1 / 2, 1 / 3, 1 / 4, 1 / 6]
/** Milliseconds in which a picture should come while something moves. */
const GOAL = 65
const LOOKED_AT = 3
/** Share of the time before that a coarser picture must save at least, and for how many pictures it is not tried again. */
const WORTH = 0.8
const PATIENCE = 40

/**
 * How sharp a draft may be: as sharp as comes back in time. It becomes coarser once pictures come late and that helps,
 * and sharper again when one of the next size would come in time as well: a size that changes with every picture would
 * find nothing kept of the one before.
 */
export class Pace {
  private at = 0
  private times: number[] = []
  /** What a picture took before it became coarser, and how many pictures are to come before that is tried again. */
  private before = Infinity
  private patience = 0

  get share(): number {
    return SHARES[this.at]!
  }

  /** A draft of the share that was asked for has come after so many milliseconds. */
  told(share: number, milliseconds: number) {
    if (share !== this.share) return
    this.patience = Math.max(0, this.patience - 1)
    this.times = [...this.times.slice(1 - LOOKED_AT), milliseconds]
    if (this.times.length < LOOKED_AT) return
    const middle = [...this.times].sort((a, b) => a - b)[1]!
    const sharper = SHARES[this.at - 1]
    if (middle > WORTH * this.before) {
      // It is not the pixels that take the time.
      this.patience = PATIENCE
      this.go(-1, Infinity)
    } else if (middle > GOAL && this.at < SHARES.length - 1 && !this.patience) this.go(1, middle)
    else if (sharper && middle * (sharper / this.share) ** 2 < GOAL) this.go(-1, Infinity)
  }

  private go(by: number, before: number) {
    this.at += by
    this.before = before
    this.times = []
  }
}
