import { shallowRef, triggerRef } from 'vue'
import { type FrameIn, type Operation, picture, Problem } from '../api/client'
import type { CheckOptions, Look } from '../stores/room'
import { Latest } from './latest'

/** Milliseconds after which somebody who waits for a view is told so. */
const SLOW = 700

/** Milliseconds after which what is being worked out is asked for again. */
const AGAIN = 700

export interface Layer {
  bitmap: ImageBitmap
  frame: FrameIn
  /** Something in it is still being worked out. */
  waits?: boolean
}

/** What a view is asked of: the sheet's revision and what lies on top of it. */
export interface Base {
  portrait: string
  revision: number
  trial: Operation[]
  keep: string | null
  look: Look
  check: CheckOptions
  show?: 'result' | 'original'
  /** The result as it stood after this edit, instead. */
  at?: number | null
}

/**
 * The picture's layers from the server, latest wins: the rest view, dabs laid over it while painting, a coarse whole
 * under it while the view moves, and the picture before.
 */
export class Views {
  readonly main = shallowRef<Layer | null>(null)
  readonly whole = shallowRef<Layer | null>(null)
  readonly before = shallowRef<Layer | null>(null)
  readonly dabs = shallowRef<Layer[]>([])
  readonly problem = shallowRef('')
  /** What is shown stands for something that is still being worked out. */
  readonly waiting = shallowRef(false)
  /** A view has been waited for long enough to say so. */
  readonly slow = shallowRef(false)
  readonly latest = new Latest((error) => this.complain(error))
  private readonly beforeLatest = new Latest((error) => this.complain(error))
  private asking: ReturnType<typeof setTimeout> | undefined
  private beforeKey = ''
  private beforeWhat = ''

  /**
   * `stale` is called when the sheet has moved on elsewhere: the view is asked for again once it is fetched; `again`
   * when something that is being worked out may be there.
   */
  constructor(
    private readonly stale: () => void,
    private readonly again: () => void,
  ) {}

  /** Ask for a view; `base()` is read when its turn comes, so that it sees the newest revision. */
  view(base: () => Base, frame: FrameIn, draft: boolean, done?: () => void) {
    this.latest.run(async () => {
      const waiting = setTimeout(() => (this.slow.value = true), SLOW)
      const layer = await this.fetch(base(), frame, draft).finally(() => {
        clearTimeout(waiting)
        this.slow.value = false
      })
      this.main.value = layer
      this.waiting.value = !!layer.waits
      clearTimeout(this.asking)
      if (layer.waits) this.asking = setTimeout(this.again, AGAIN)
      this.dabs.value = []
      done?.()
    })
  }

  dab(base: () => Base, frame: FrameIn) {
    this.latest.run(async () => {
      const layer = await this.fetch(base(), frame, true)
      this.dabs.value.push(layer)
      triggerRef(this.dabs)
    })
  }

  wholeView(base: () => Base, frame: FrameIn) {
    this.latest.run(async () => {
      this.whole.value = await this.fetch(base(), frame, true)
    })
  }

  /** Fetch what the picture is compared with; what was shown of it stays until the new one is there. */
  beforeView(base: () => Base, frame: FrameIn, draft = false) {
    const now = base()
    const of = JSON.stringify([now.show, now.at, now.look, now.check])
    // The original and another point of the history stay as they are, whatever is done to the sheet.
    const fixed = now.show === 'original' || now.at != null
    const key = JSON.stringify([of, fixed ? [] : [now.revision, now.trial], frame])
    if (key === this.beforeKey && this.before.value) return
    if (of !== this.beforeWhat) this.before.value = null
    this.beforeLatest.run(async () => {
      this.before.value = await this.fetch(base(), frame, draft)
      this.beforeKey = key
      this.beforeWhat = of
    })
  }

  private async fetch(base: Base, frame: FrameIn, draft: boolean): Promise<Layer> {
    const { portrait, revision, trial, keep, look, check, show, at } = base
    const answer = await picture(`/api/portraits/${portrait}/view`, {
      revision,
      trial: show === 'original' ? [] : trial,
      frame,
      draft,
      show: show ?? 'result',
      at: at ?? null,
      keep,
      look,
      ...check,
    })
    this.problem.value = ''
    const waits = answer.headers.has('X-Waiting')
    return { bitmap: await createImageBitmap(answer.blob), frame, waits }
  }

  close() {
    clearTimeout(this.asking)
  }

  private complain(error: unknown) {
    if (error instanceof Problem && error.status === 409) this.stale()
    else this.problem.value = error instanceof Error ? error.message : String(error)
  }
}

/** Whose coverage is wanted: an area's, or a touch's with its tone limit. */
export type Covered = { area: string; laid?: Operation[] } | { touch: string }
export const coveredKey = (what: Covered) => ('area' in what ? what.area : `touch ${what.touch}`)

/** The coverage of one area or touch, latest wins. */
export class Coverage {
  readonly layer = shallowRef<{ alpha: OffscreenCanvas; frame: FrameIn; of: string } | null>(null)
  readonly latest = new Latest(() => {})

  ask(
    base: () => Base,
    what: Covered,
    frame: FrameIn,
    toAlpha: (bitmap: ImageBitmap) => OffscreenCanvas,
    done: (share: number) => void,
  ) {
    this.latest.run(async () => {
      const { portrait, revision, trial } = base()
      const { laid = [], ...whose } = { laid: [], ...what }
      const answer = await picture(`/api/portraits/${portrait}/coverage`, {
        revision,
        trial: [...trial, ...laid],
        frame,
        ...whose,
      })
      const alpha = toAlpha(await createImageBitmap(answer.blob))
      this.layer.value = { alpha, frame, of: coveredKey(what) }
      done(Number(answer.headers.get('X-Share')))
    })
  }

  forget() {
    this.layer.value = null
  }
}
