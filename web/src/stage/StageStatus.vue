<script setup lang="ts">
import { computed } from 'vue'
import { useActions } from '../edits/actions'
import { DOING } from '../sheet/patches'
import { DOES } from '../sheet/shaping'
import { percent } from '../sheet/words'
import { beforeWords, LOOKS } from '../stores/looks'
import { type BeforeOf, useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

/** What the stage shows and what the pointer does there, in words. */
const props = defineProps<{
  beforeOf: BeforeOf
  shownArea: string | null
  picksThings: boolean
  fitting: boolean
}>()
const sheet = useSheet()
const room = useRoom()
const actions = useActions()

const pickWords = computed(() => {
  const touch = sheet.touch(room.openTouch)?.touch
  const kind = sheet.kinds.find((k) => k.kind === touch?.kind)
  return kind?.picks.find((p) => p.name === room.pointing?.pick)?.words ?? ''
})
const status = computed(() => {
  const before = beforeWords(props.beforeOf)
  if (room.before !== 'no') return `before: ${before}`
  if (room.look === 'proof' && room.check.press) return 'soft proof: as it will look on paper; not changed'
  if (room.look !== 'plain') return LOOKS[room.look]?.status ?? ''
  if (room.compare === 'pair') return `left, before: ${before} · right, after`
  if (room.compare !== 'no') return `${room.compare === 'across' ? 'left' : 'above'}, before: ${before}`
  if (room.reach) return 'what the touch lets through: its area in its tones'
  if (room.pointing) return pickWords.value
  if (room.picking && props.picksThings)
    return `${room.wholeThings ? 'whole things' : 'parts of things'} · ${room.picking.take ? 'click takes one out' : 'click takes one in'}, drag draws a box`
  if (room.seeking) {
    const share = room.sought === null ? '' : ` · ${Math.round(100 * room.sought)} %`
    return `${room.seeking}${share} · Esc stops`
  }
  if (room.sourcing) return 'press on where it should come from'
  if (room.painting && actions.mendTouch()) return DOING[room.nextPatch.way] + onWhat()
  if (room.painting && actions.shapeTouch()) return `shaping · ${DOES[room.nextShape.does].short}`
  if (room.picking) return room.picking.take ? 'picking what is left out' : 'picking from the picture'
  if (room.drawing) return room.drawing.take ? 'drawing what is cut out' : 'drawing an outline'
  return areaWords()
})
const onWhat = () => (room.nextPatch.of === 'everything' ? '' : ` · the ${room.nextPatch.of} alone`)
function areaWords() {
  const area = room.hoverFound ?? sheet.area(props.shownArea)
  if (!area) return ''
  const known = room.share !== null && props.shownArea === room.openArea
  const share = !known
    ? ''
    : room.share === 0
      ? ' · nothing covered yet'
      : ` · ${percent(room.share!)} of the picture`
  const away = (actions.paintPart()?.part.join === 'take') !== room.takeAway
  const light = room.painting && actions.laysLight()
  const doing = light
    ? 'painting light on'
    : !room.painting
      ? 'looking at'
      : away
        ? 'taking away'
        : 'painting'
  const most = known && room.most && room.overlay === 'stitches' ? ' · stitches on what is left out' : ''
  const closer = known && room.little && props.fitting ? ' · Shift+F closer' : ''
  return `${doing} · ${area.name || 'an unnamed area'}${share}${most}${closer}`
}
</script>

<template>
  <p
    v-if="status"
    class="pointer-events-none absolute top-3.5 left-4 rounded-sm bg-ink/85 px-2 py-1 text-white"
    role="status"
  >
    {{ status }}
  </p>
</template>
