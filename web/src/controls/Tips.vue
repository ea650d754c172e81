<script setup lang="ts">
import { useEventListener, useTimeoutFn } from '@vueuse/core'
import { computed, ref, shallowRef } from 'vue'
import { useFloat } from './useFloat'

/**
 * The words of whatever carries `data-tip`: while a mouse or pen rests on it, when a key has brought the focus there,
 * and while a finger stays on it.
 */
const WAIT = 450
const owner = shallowRef<HTMLElement | null>(null)
const words = ref('')
const box = ref<HTMLElement | null>(null)
/** It is told within the part of the page that its owner belongs to. */
const home = computed(
  () => owner.value?.closest('main, header, nav, aside, section, [role=dialog]') ?? document.body,
)
const style = useFloat(owner, box, computed(() => 'bottom' as const), 6) // prettier-ignore

let next: HTMLElement | null = null
const { start, stop } = useTimeoutFn(() => next && show(next), WAIT, { immediate: false })

const carrier = (event: Event) => (event.target as Element | null)?.closest<HTMLElement>('[data-tip]') ?? null
function show(element: HTMLElement) {
  if (!element.isConnected || !element.dataset.tip) return
  hide()
  owner.value = element
  words.value = element.dataset.tip
  element.setAttribute('aria-describedby', 'tip')
}
function hide() {
  stop()
  owner.value?.removeAttribute('aria-describedby')
  owner.value = null
}
function over(event: Event) {
  const element = carrier(event)
  if (element === next) return
  next = element
  if (element) start()
  else hide()
}
useEventListener(document, 'pointerover', over)
useEventListener(document, 'pointerdown', (event) => {
  hide()
  // A finger cannot rest above the glass: it tells by staying.
  if (event.pointerType === 'touch' && (next = carrier(event))) start()
})
useEventListener(document, ['pointerup', 'pointercancel'], () => stop())
useEventListener(document, 'focusin', (event) => {
  const element = carrier(event)
  if (element?.matches(':focus-visible')) show(element)
})
useEventListener(document, 'focusout', hide)
useEventListener(document, 'keydown', (event) => event.key === 'Escape' && hide(), { capture: true })
useEventListener(document, 'scroll', hide, { capture: true, passive: true })
</script>

<template>
  <Teleport v-if="owner" :to="home">
    <p
      id="tip"
      ref="box"
      :style="style"
      role="tooltip"
      class="pointer-events-none z-[60] max-w-72 rounded-sm bg-ink px-2 py-1 text-white"
    >
      {{ words }}
    </p>
  </Teleport>
</template>
