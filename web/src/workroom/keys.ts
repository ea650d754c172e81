import type { StageHands } from '../stage/hands'
import { useActions } from '../edits/actions'
import { OTHERWISE } from '../sheet/shaping'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'
import { useTurning } from '../stores/turning'

/** One key of the workroom: how it is shown, what it does in words, and the doing. */
export interface KeyRow {
  shown: string
  words: string
  /** `KeyboardEvent.key` of each; without, the row only tells of something that is done otherwise. */
  keys?: string[]
  command?: boolean
  press?: (key: string) => unknown
  release?: () => void
  /** Pressed again while it is held down. */
  repeats?: boolean
  /** Only with nothing in focus but the picture. */
  onStage?: boolean
}
export interface KeySection {
  title: string
  rows: KeyRow[]
}

const NUDGE = 60
const ARROWS: Record<string, [number, number]> = {
  ArrowLeft: [NUDGE, 0],
  ArrowRight: [-NUDGE, 0],
  ArrowUp: [0, NUDGE],
  ArrowDown: [0, -NUDGE],
}

/** Every key of the workroom, once: the sheet of keys shows these rows, and pressing one does what its row says. */
export function useKeys(stage: () => StageHands | null, showKeys: () => void) {
  const sheet = useSheet()
  const turning = useTurning()
  const room = useRoom()
  const actions = useActions()

  const open = () => sheet.touch(room.openTouch)?.touch
  const area = () => sheet.area(room.openArea)
  /** Before and after parted by a line across, then down, then not. */
  const split = () =>
    (room.compare = room.compare === 'across' ? 'down' : room.compare === 'down' ? 'no' : 'across')
  const pair = () => (room.compare = room.compare === 'pair' ? 'no' : 'pair')
  const notBefore = () => (room.before = 'no')
  /** The end of looking hard at shadows or highlights. */
  function notHard() {
    if (room.look === 'brighter' || room.look === 'darker') room.look = 'plain'
  }
  const toggleLook = (look: 'clipping' | 'unevenness') => (room.look = room.look === look ? 'plain' : look)
  function next(by: number) {
    const list = sheet.steps
    if (!list.length) return
    const now = list.findIndex((s) => s.touch.id === room.openTouch)
    const to = now < 0 ? (by > 0 ? 0 : list.length - 1) : Math.min(list.length - 1, Math.max(0, now + by))
    actions.openTouch(list[to]!.touch.id)
  }
  function softer(by: number) {
    const brush = actions.brushInHand()
    brush.softness = Math.min(1, Math.max(0, Number((brush.softness + by).toFixed(2))))
  }
  function letGo() {
    if (turning.draft) {
      turning.end()
      return
    }
    if (stage()?.cancelStroke() || actions.stopSeeking()) return
    if (room.pointing || room.reach || room.picking || room.drawing || room.sourcing) {
      room.pointing = room.reach = room.picking = room.drawing = null
      room.sourcing = false
      return
    }
    if (room.patch && !room.painting) {
      room.patch = null
      return
    }
    if (room.selected.length) room.selected = []
    else if (sheet.trial.length) sheet.attempt([])
    else if (room.painting) actions.takeBrush()
    else if (room.openArea) actions.openArea(null)
    else if (room.openTouch) actions.openTouch(null)
    else if (room.look !== 'plain') room.look = 'plain'
    else if (room.history) room.history = false
  }
  function toggleTouch() {
    const touch = open()
    if (touch) actions.setTouch(touch, 'on', !touch.on, `${touch.on ? 'off' : 'on'}: ${actions.say(touch)}`)
  }
  const helper = () => (room.look = room.look === room.helper ? 'plain' : room.helper)
  function turnRound() {
    if (actions.mendTouch()) void actions.anotherSource()
    else if (actions.shapeTouch()) room.nextShape.does = OTHERWISE[room.nextShape.does]
    else if (actions.laysLight()) room.darker = !room.darker
    else room.takeAway = !room.takeAway
  }
  function invert() {
    const now = area()
    if (now) actions.setArea(now, 'invert', !now.invert, `inverted ${now.name}`)
  }
  const onOpen = (work: (touch: NonNullable<ReturnType<typeof open>>) => void) => {
    const touch = open()
    if (touch) work(touch)
    return !!touch
  }

  const sections: KeySection[] = [
    {
      title: 'Looking',
      rows: [
        { shown: 'Q, held', keys: ['q'], words: 'before, as chosen: the original at first', press: () => (room.before = 'all'), release: notBefore },
        { shown: 'Shift+Q, held', keys: ['Q'], words: 'before: without the open touch', press: () => (room.before = room.openTouch ? 'touch' : 'all'), release: notBefore },
        { shown: 'L, held', keys: ['l'], words: 'brighter: what the shadows hold', press: () => (room.look = 'brighter'), release: notHard },
        { shown: 'D, held', keys: ['d'], words: 'darker: what the highlights hold', press: () => (room.look = 'darker'), release: notHard },
        { shown: 'C', keys: ['c'], words: 'mark what is clipped', press: () => toggleLook('clipping') },
        { shown: 'U', keys: ['u'], words: 'check: unevenness', press: () => toggleLook('unevenness') },
        { shown: 'N', keys: ['n'], words: 'the helper view that was chosen for painting light', press: helper },
        { shown: 'Z', keys: ['z'], words: 'a cheek at 100 %, before and after side by side; and back', press: () => stage()?.cheek() },
        { shown: 'X', keys: ['x'], words: 'split: before and after parted across, down', press: split },
        { shown: 'A', keys: ['a'], words: 'before and after side by side', press: pair },
        { shown: 'H · Y', keys: ['h', 'y'], words: 'the next face, the next eye', press: (key) => stage()?.next(key === 'h' ? 'face' : 'eye') },
        { shown: 'M', keys: ['m'], words: 'history, marks and takes', press: () => (room.history = !room.history) },
        { shown: 'Shift+F', keys: ['F'], words: 'closer: the open area fills the stage; and back', press: () => stage()?.closer() },
        { shown: 'F', keys: ['f'], words: 'fit', press: () => stage()?.fit(), repeats: true },
        { shown: '5 · 1 · 2', keys: ['5', '1', '2'], words: '50, 100, 200 %', press: (key) => stage()?.zoomTo(key === '5' ? 50 : 100 * Number(key)), repeats: true },
        { shown: '+ · −', keys: ['+', '=', '-'], words: 'zoom in, out', press: (key) => stage()?.step(key === '-' ? 0.8 : 1.25), repeats: true },
        { shown: 'Space, held', keys: [' '], words: 'pan while the brush is in hand', press: () => stage()?.holdSpace(true), release: () => stage()?.holdSpace(false), onStage: true, repeats: true },
        { shown: 'Arrows', keys: Object.keys(ARROWS), words: 'pan (with the picture in focus)', press: (key) => stage()?.pan(...ARROWS[key]!), onStage: true, repeats: true },
        { shown: 'Shift+T', keys: ['T'], words: 'turn, straighten and crop', press: () => (turning.draft ? turning.done() : turning.open()) },
        { shown: '?', keys: ['?'], words: 'these keys', press: showKeys },
      ],
    },
    {
      title: 'The area',
      rows: [
        { shown: 'S', keys: ['s'], words: 'stitches on or off', press: () => (room.overlay = room.overlay === 'stitches' ? 'off' : 'stitches') },
        { shown: 'Shift+S, held', keys: ['S'], words: 'stitches on, whatever is in hand', press: () => (room.stitched = true), release: () => (room.stitched = false) },
        { shown: 'G', keys: ['g'], words: 'the mask alone, as grey', press: () => (room.overlay = room.overlay === 'mask' ? 'stitches' : 'mask') },
        { shown: 'V', keys: ['v'], words: 'the picture only inside, only outside', press: () => (room.overlay = room.overlay === 'inside' ? 'outside' : room.overlay === 'outside' ? 'stitches' : 'inside') },
        { shown: 'I', keys: ['i'], words: 'invert', press: invert },
        { shown: 'W', keys: ['w'], words: 'things: wholes, or their parts', press: () => (room.wholeThings = !room.wholeThings) },
        { shown: 'Enter', keys: ['Enter'], words: 'close the outline that is being drawn; turning and cropping: done', press: () => (turning.draft ? turning.done() : (stage()?.closeOutline() ?? false)) },
      ],
    },
    {
      title: 'Numbers',
      rows: [
        { shown: 'Arrows', words: 'one step, with Shift ten' },
        { shown: 'Delete', words: 'back to neutral, as a double click' },
      ],
    },
    {
      title: 'The sheet',
      rows: [
        { shown: '/', keys: ['/'], words: 'start a touch', press: () => document.querySelector<HTMLElement>('[data-start]')?.focus(), repeats: true },
        { shown: 'J · K', keys: ['j', 'k'], words: 'open the next, the previous touch', press: (key) => next(key === 'j' ? 1 : -1), repeats: true },
        { shown: 'O', keys: ['o'], words: 'open touch on or off', press: toggleTouch },
        { shown: 'P', keys: ['p'], words: 'point at the picture with it; repairing: at where it comes from', press: () => actions.point() },
        { shown: 'Alt+↑ · Alt+↓', words: 'move it earlier, later' },
        { shown: 'Ctrl+D', keys: ['d'], command: true, words: 'duplicate it', press: () => onOpen(actions.duplicateTouch) },
        { shown: 'Delete', keys: ['Delete', 'Backspace'], words: 'delete it, or the patch that is picked up', press: () => actions.removePatch() || onOpen(actions.deleteTouch), onStage: true },
        { shown: 'Ctrl+Z', keys: ['z'], command: true, words: 'undo', press: () => sheet.undo(), repeats: true },
        { shown: 'Ctrl+Shift+Z', keys: ['Z', 'y'], command: true, words: 'redo', press: () => sheet.redo(), repeats: true },
        { shown: 'Ctrl+click', words: 'pick several, to keep together, copy, switch' },
        { shown: 'Esc', keys: ['Escape'], words: 'let go: stroke, pointing, brush, area, touch, check', press: letGo, repeats: true },
      ],
    },
    {
      title: 'The brush',
      rows: [
        { shown: 'B', keys: ['b'], words: 'take the brush, put it down', press: () => actions.takeBrush() },
        { shown: '[ · ]', keys: ['[', ']'], words: 'smaller, larger', press: (key) => stage()?.changeSize(key === ']' ? 1.12 : 1 / 1.12), repeats: true },
        { shown: ', · .', keys: [',', '.'], words: 'harder, softer', press: (key) => softer(key === '.' ? 0.1 : -0.1), repeats: true },
        { shown: 'R, held', keys: ['r'], words: 'size by moving sideways', press: () => stage()?.holdSize(true), release: () => stage()?.holdSize(false) },
        { shown: 'T', keys: ['t'], words: 'take away instead; painting light: darker; repairing: another source; shaping: the other way', press: turnRound },
        { shown: 'E', keys: ['e'], words: 'keep to edges', press: () => room.painting && (room.brush.keep_edges = !room.brush.keep_edges) },
        { shown: 'Alt, held', words: 'the other of both; so does the button at the side of a pen' },
        { shown: 'Two fingers', words: 'zoom and pan; with a pen in hand one finger pans' },
        { shown: 'Shift+click', words: 'straight line from the last stroke' },
      ],
    },
  ] // prettier-ignore

  const rows = sections.flatMap((section) => section.rows)
  const inField = (target: EventTarget | null) =>
    target instanceof HTMLElement &&
    (target.matches('input:not([type=range]), select, textarea') || target.isContentEditable)

  function down(event: KeyboardEvent) {
    const command = event.ctrlKey || event.metaKey
    const undoing = command && event.key.toLowerCase() === 'z'
    if (event.altKey || (inField(event.target) && !undoing)) return
    const onStage = (event.target as HTMLElement | null)?.tagName === 'BODY'
    const row = rows.find(
      (r) => r.keys?.includes(event.key) && !!r.command === command && (!r.onStage || onStage),
    )
    if (!row?.press || (event.repeat && !row.repeats)) return
    // A row that says no leaves the key to whatever else knows it.
    if (row.press(event.key) !== false) event.preventDefault()
  }
  function up(event: KeyboardEvent) {
    for (const row of rows)
      if (row.keys?.some((k) => k.toLowerCase() === event.key.toLowerCase())) row.release?.()
  }
  /** The window has lost the keyboard: nothing is held any more. */
  const lost = () => rows.forEach((row) => row.release?.())
  /** Alt and an arrow move the open touch, also from a menu's button, which would unfold its menu. */
  function early(event: KeyboardEvent) {
    const touch = open()
    if (!touch || !event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return
    event.preventDefault()
    event.stopPropagation()
    actions.moveTouch(touch, event.key === 'ArrowUp' ? -1 : 1)
  }
  /** How the key of something is shown, with what it does: for the words beside its button. */
  const tip = (words: string) => {
    const row = rows.find((r) => r.words.startsWith(words))!
    return `${row.shown}: ${row.words}`
  }
  return { sections, down, up, early, lost, split, pair, tip }
}
