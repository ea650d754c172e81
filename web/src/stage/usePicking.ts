import { api } from '../api/client'
import { useActions } from '../edits/actions'
import { useNotices } from '../stores/notices'
import { useSheet } from '../stores/sheet'
import type { Spot } from './geometry'

const rounded = (v: number) => Number(v.toFixed(4))

/** Take a colour or a place of the picture into the part that waits for it. */
export function usePicking(inPicture: (at: Spot) => Spot) {
  const sheet = useSheet()
  const actions = useActions()
  const notices = useNotices()

  return async (at: Spot, take: boolean) => {
    const open = actions.openPart()
    if (!open || !sheet.portrait) return
    const { area, part } = open
    const place = inPicture(at)
    if (Array.isArray(part.points)) {
      const points = [...(part.points as unknown[]), [rounded(place.x), rounded(place.y)]]
      actions.changePart(area, part, { points })
      return
    }
    try {
      const { data } = await api.POST('/api/portraits/{portrait_id}/numbers', {
        params: { path: { portrait_id: sheet.portrait.id } },
        body: {
          revision: sheet.revision,
          trial: sheet.waiting,
          ...place,
          area: part.of === 'below' ? area.id : null,
        },
      })
      const { lightness, chroma, hue } = data!.before
      const [c, h] = [chroma / 250, (hue * Math.PI) / 180]
      const lab = [lightness / 100, c * Math.cos(h), c * Math.sin(h)].map(rounded)
      actions.changePart(area, part, { samples: [...(part.samples as unknown[]), { lab, take }] })
    } catch (error) {
      notices.complain(error)
    }
  }
}
