import { type ShallowRef, shallowRef, triggerRef } from 'vue'
import { type FrameIn, type Operation, picture, Problem } from '../api/client'
import type { Mending, Painted } from '../sheet/types'
import type { CheckOptions, Look } from '../stores/room'
import { bytesOf, sameBytes } from '../api/bytes'
import { Latest } from '../api/latest'
import { alphaFrom, pictureFrom } from './bitmaps'
import type { Box } from './geometry'
import { covers, type Scene } from './scene'

/** Milliseconds after which somebody who waits for a view is told so. */
const SLOW = 700

/** Milliseconds after which what is being worked out is asked for again. */
const AGAIN = 700

export interface Layer {
  bitmap: ImageBitmap
  frame: FrameIn
  /** Coarser than the screen, while something moves. */
  draft?: boolean
  /** Something in it is still being worked out. */
  waits?: boolean
  unseen?: Record<string, number>
}

/** What a view is asked of: the sheet's revision and what lies on top of it. */
export interface Base {
  portrait: string
  revision: number
  trial: Operation[]
  keep: string | null
  look: Look
  /** Which layer of the touch in hand is shown by itself, while the look is that. */
  layer: string
  check: CheckOptions
  show?: 'result' | 'original'
  /** The result as it stood after this edit, instead. */
  at?: number | null
}

/** A stroke that is being painted: its points so far, and where they are laid. */
export type Growing = { name: string; stroke: Painted } & (
  { area: string; part: string | number } | { touch: string; patch?: Mending }
)

const POINTS_MISSING = 412
const NOTHING_CHANGED = 204

/** Put a layer in the place of another, whose bitmap is let go: browsers keep them until they are told. */
function put(place: ShallowRef<Layer | null>, layer: Layer | null) {
  if (place.value && place.value !== layer) place.value.bitmap.close()
  place.value = layer
}

/**
 * The picture's layers from the server, latest wins: the rest view, dabs laid over it while painting, a coarse whole
 * under it while the view moves, and the picture before.
 */
export class Views {
  readonly main = shallowRef<Layer | null>(null)
  /** The sharp view from before the view moved, while nothing but that has changed. */
  readonly still = shallowRef<Layer | null>(null)
  readonly whole = shallowRef<Layer | null>(null)
  readonly before = shallowRef<Layer | null>(null)
  readonly dabs = shallowRef<Layer[]>([])
  readonly problem = shallowRef('')
  /** What is shown stands for something that is still being worked out. */
  readonly waiting = shallowRef(false)
  /** A view has been waited for long enough to say so. */
  readonly slow = shallowRef(false)
  /** Touches of which the view shows less than there is: from which share of full size they are seen. */
  readonly unseen = shallowRef<Record<string, number>>({})
  readonly latest = new Latest((error) => this.complain(error))
  readonly beforeLatest = new Latest((error) => this.complain(error))
  private asking: ReturnType<typeof setTimeout> | undefined
  /** What was asked for what stands there at rest, and of what the view that stands there is. */
  private standing = ''
  private of = ''
  private beforeKey = ''
  private beforeWhat = ''
  /** How many points of the stroke in hand the server has answered for. */
  private sent = { name: '', count: 0 }

  /**
   * `stale` is called when the sheet has moved on elsewhere: the view is asked for again once it is fetched; `again`
   * when something that is being worked out may be there.
   */
  constructor(
    private readonly stale: () => void,
    private readonly again: () => void,
  ) {}

  /** Nothing is on its way, and nothing that is shown stands for something else. */
  get settled(): boolean {
    return this.latest.idle && this.beforeLatest.idle && !this.waiting.value
  }

  /** Whether the view that was asked for by this name stands there, and nothing else is on its way. */
  stands(asked: string): boolean {
    const whole = this.latest.idle && !this.waiting.value && !this.dabs.value.length
    return whole && this.standing === asked && !!this.main.value
  }

  /**
   * Ask for a view, by a name for what is asked, or for a draft, which has none; `base()` and the name are read when
   * its turn comes, so that they see the newest revision.
   */
  view(
    base: () => Base,
    frame: FrameIn,
    named: (() => string) | null,
    done?: (milliseconds: number) => void,
  ) {
    this.latest.run(async () => {
      this.standing = ''
      const name = named?.() ?? ''
      const began = performance.now()
      const waiting = setTimeout(() => (this.slow.value = true), SLOW)
      const now = base()
      const layer = await this.fetch(now, frame, !named).finally(() => {
        clearTimeout(waiting)
        this.slow.value = false
      })
      this.come(layer, JSON.stringify(now))
      this.standing = name
      this.waiting.value = !!layer.waits
      if (named) this.unseen.value = layer.unseen ?? {}
      clearTimeout(this.asking)
      if (layer.waits) this.asking = setTimeout(this.again, AGAIN)
      this.dropDabs()
      done?.(performance.now() - began)
    })
  }

  /** Whether a sharp view stands there that holds all that a scene shows, for as long as it moves. */
  holds(scene: Scene): boolean {
    const sharp = this.still.value ?? (this.main.value?.draft ? null : this.main.value)
    const fine =
      sharp && sharp.frame.width >= 0.99 * scene.picture.w * Math.min(1, scene.view.zoom * scene.ratio)
    return !!fine && covers(sharp.frame, scene)
  }

  private come(layer: Layer, of: string) {
    const sharp = this.main.value
    if (!layer.draft || of !== this.of) put(this.still, null)
    else if (sharp && !sharp.draft) [this.still.value, this.main.value] = [sharp, null]
    put(this.main, layer)
    this.of = of
  }

  /** Ask what a stroke that grows has changed of the view: only its new points are sent. */
  dab(base: () => Base, growing: () => Growing | null, frame: FrameIn) {
    this.latest.run(async () => {
      const now = growing()
      if (!now) return
      if (this.sent.name !== now.name) this.sent = { name: now.name, count: 0 }
      const layer = await this.fetchDab(base(), now, frame).catch((error: unknown) => {
        if (!(error instanceof Problem) || error.status !== POINTS_MISSING) throw error
        this.sent = { name: now.name, count: 0 }
        return this.fetchDab(base(), now, frame)
      })
      if (layer) {
        this.dabs.value.push(layer)
        triggerRef(this.dabs)
      }
    })
  }

  dropDabs() {
    for (const dab of this.dabs.value) dab.bitmap.close()
    this.dabs.value = []
  }

  wholeView(base: () => Base, frame: FrameIn) {
    this.latest.run(async () => put(this.whole, await this.fetch(base(), frame, true)))
  }
  dropWhole() {
    put(this.whole, null)
  }

  /** Fetch what the picture is compared with; what was shown of it stays until the new one is there. */
  beforeView(base: () => Base, frame: FrameIn, draft = false) {
    const now = base()
    const of = JSON.stringify([now.show, now.at, now.look, now.layer, now.check])
    // The original and another point of the history stay as they are, whatever is done to the sheet.
    const fixed = now.show === 'original' || now.at != null
    const key = JSON.stringify([of, fixed ? [] : [now.revision, now.trial], frame])
    // What was asked for last is on its way or there; a draft that is still on its way would come over it.
    if (key === this.beforeKey) return
    this.beforeKey = key
    if (of !== this.beforeWhat) put(this.before, null)
    this.beforeLatest.run(async () => {
      try {
        put(this.before, await this.fetch(base(), frame, draft))
        this.beforeWhat = of
      } catch (error) {
        if (this.beforeKey === key) this.beforeKey = ''
        throw error
      }
    })
  }

  private async fetch(base: Base, frame: FrameIn, draft: boolean): Promise<Layer> {
    const { portrait, revision, trial, keep, look, layer, check, show, at } = base
    const answer = await picture(`/api/portraits/${portrait}/view`, {
      revision,
      trial: show === 'original' ? [] : trial,
      frame,
      draft,
      show: show ?? 'result',
      at: at ?? null,
      keep,
      look,
      layer,
      ...check,
    })
    this.problem.value = ''
    const waits = answer.headers.has('X-Waiting')
    const unseen = JSON.parse(answer.headers.get('X-Unseen') ?? '{}') as Record<string, number>
    return { bitmap: await pictureFrom(answer.blob), frame, draft, waits, unseen }
  }

  private async fetchDab(base: Base, growing: Growing, frame: FrameIn): Promise<Layer | null> {
    const { portrait, revision, trial, keep, look } = base
    const { name, stroke, ...where } = growing
    const start = this.sent.count
    const points = stroke.points.slice(start)
    if (!points.length) return null
    const answer = await picture(`/api/portraits/${portrait}/dabs`, {
      revision,
      trial,
      ...where,
      stroke: { ...stroke, points },
      name,
      start,
      frame,
      keep,
      look,
    })
    this.problem.value = ''
    if (this.sent.name === name) this.sent.count = start + points.length
    if (answer.status === NOTHING_CHANGED) return null
    const [x, y, w, h] = answer.headers.get('X-Rect')!.split(' ').map(Number) as [
      number,
      number,
      number,
      number,
    ]
    return { bitmap: await pictureFrom(answer.blob), frame: { ...frame, x, y, w, h } }
  }

  close() {
    clearTimeout(this.asking)
    for (const place of [this.main, this.still, this.whole, this.before]) put(place, null)
    this.dropDabs()
  }

  private complain(error: unknown) {
    if (error instanceof Problem && error.status === 409) this.stale()
    else this.problem.value = error instanceof Error ? error.message : String(error)
  }
}

/** Whose coverage is wanted: an area's, or a touch's with its tone limit. */
export type Covered = { area: string; laid?: Operation[] } | { touch: string }
export const coveredKey = (what: Covered) => ('area' in what ? what.area : `touch ${what.touch}`)

/** The coverage of one area or touch, latest wins; `complain` is told why one could not be had. */
export class Coverage {
  readonly layer = shallowRef<{ alpha: ImageBitmap; frame: FrameIn; box: Box | null; of: string } | null>(
    null,
  )
  /** What the layer was made of. */
  private known: { name: string; bytes: Uint8Array } | null = null
  readonly latest: Latest

  constructor(complain: (error: unknown) => void) {
    this.latest = new Latest(complain)
  }

  ask(base: () => Base, what: Covered, frame: FrameIn, done: (share: number, box: number[] | null) => void) {
    this.latest.run(async () => {
      const { portrait, revision, trial } = base()
      const { laid = [], ...whose } = 'area' in what ? what : { ...what, laid: [] as Operation[] }
      const answer = await picture(`/api/portraits/${portrait}/coverage`, {
        revision,
        trial: [...trial, ...laid],
        frame,
        ...whose,
      })
      const of = coveredKey(what)
      const [name, bytes] = [JSON.stringify([portrait, frame, of]), await bytesOf(answer.blob)]
      // Most edits change nothing of where an area lies.
      if (!this.layer.value || this.known?.name !== name || !sameBytes(this.known.bytes, bytes)) {
        const { bitmap: alpha, box } = await alphaFrom(answer.blob)
        this.forget()
        this.layer.value = { alpha, frame, box, of }
        this.known = { name, bytes }
      }
      done(Number(answer.headers.get('X-Share')), answer.headers.get('X-Box')?.split(' ').map(Number) ?? null)
    })
  }

  forget() {
    this.layer.value?.alpha.close()
    this.layer.value = null
  }
}
