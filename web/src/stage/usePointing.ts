import { ref } from 'vue'
import { api } from '../api/client'
import { useActions } from '../edits/actions'
import { useRoom } from '../stores/room'
import { useNotices } from '../stores/notices'
import { useSheet } from '../stores/sheet'
import { Latest } from '../api/latest'

interface Spot {
  x: number
  y: number
}

/** Stage pixels dragged up for a full pull. */
const FULL = 220

/**
 * Pointing at the picture with the open touch: press on a tone or colour, and, if the pick is one to pull at, drag up
 * or down. The server samples below the touch and says what its settings become; they are kept on release.
 */
export function usePointing(inPicture: (at: Spot) => Spot) {
  const sheet = useSheet()
  const room = useRoom()
  const actions = useActions()
  const notices = useNotices()
  const held = ref(false)
  const words = ref('')
  const latest = new Latest((error) => {
    notices.complain(error)
    stop()
  })
  let press: { at: Spot; y: number; touch: string; pick: string; pulls: boolean; turn: number } | null = null
  let turns = 0
  let settings: object | null = null
  let y = 0

  function stop() {
    held.value = false
    press = settings = null
    words.value = ''
  }
  function ask(by: number, keep: boolean) {
    const now = press
    if (!now) return
    latest.run(async () => {
      const { data } = await api.POST('/api/portraits/{portrait_id}/point', {
        params: { path: { portrait_id: sheet.portrait!.id } },
        // What is only tried must not be pulled at again.
        body: {
          revision: sheet.revision,
          trial: sheet.waiting,
          touch: now.touch,
          pick: now.pick,
          entry: room.entry,
          ...now.at,
          by,
        },
      })
      const touch = sheet.touch(now.touch)?.touch
      if (!touch || now.turn !== turns) return
      const fits = Object.fromEntries(
        Object.entries(data!.settings).filter(([name]) => name in touch.settings),
      )
      const changed = Object.entries(fits).filter(
        ([name, value]) => JSON.stringify(value) !== JSON.stringify(stood(now.touch, name)),
      )
      settings = Object.fromEntries(changed)
      words.value = data!.words
      if (keep) finish(now.touch)
      else if (changed.length) actions.attemptSettings(touch, settings)
    })
  }
  /** A setting as it stands on the sheet, without what is being tried. */
  function stood(id: string, name: string): unknown {
    const find = (list: typeof sheet.doc.touches): unknown => {
      for (const touch of list) {
        if (touch.id === id) return touch.settings[name]
        const inside = touch.touches && find(touch.touches)
        if (inside !== undefined && inside !== null) return inside
      }
      return undefined
    }
    return find(sheet.doc.touches)
  }
  function finish(id: string) {
    const touch = sheet.touch(id)?.touch
    const final = settings
    const pulls = press?.pulls
    stop()
    if (touch && final && Object.keys(final).length) actions.setSettings(touch, final)
    else sheet.attempt([])
    if (!pulls) room.pointing = null
  }

  return {
    held,
    words,
    down(at: Spot) {
      const { touch, pick } = room.pointing!
      const kind = sheet.kinds.find((k) => k.kind === sheet.touch(touch)?.touch.kind)
      const pulls = kind?.picks.find((p) => p.name === pick)?.drag ?? false
      turns += 1
      y = at.y
      press = { at: inPicture(at), y: at.y, touch, pick, pulls, turn: turns }
      held.value = true
      if (pulls) ask(0, false)
    },
    move(at: Spot) {
      y = at.y
      if (press?.pulls) ask(pull(), false)
    },
    up() {
      if (!press) return
      ask(press.pulls ? pull() : 0, true)
      held.value = false
    },
    cancel(): boolean {
      if (!press) return false
      turns += 1
      stop()
      sheet.attempt([])
      return true
    },
  }
  function pull(): number {
    return Math.max(-1, Math.min(1, (press!.y - y) / FULL))
  }
}
