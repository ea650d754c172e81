<script setup lang="ts">
import { X } from '@lucide/vue'
import { useNotices } from '../stores/notices'

const notices = useNotices()
</script>

<template>
  <div class="fixed right-4 bottom-4 z-50 flex w-96 max-w-[90vw] flex-col gap-2" aria-live="polite">
    <div
      v-for="notice in notices.list"
      :key="notice.id"
      class="flex items-start gap-2 rounded-md border bg-paper p-3"
      :class="notice.tone === 'care' ? 'border-care' : 'border-rule'"
      :data-notice="notice.tone"
    >
      <p class="grow">
        {{ notice.text }}
        <button
          v-if="notice.way"
          class="plain font-medium underline decoration-dotted"
          @click="notice.way.go()"
        >
          {{ notice.way.words }}
        </button>
      </p>
      <button class="plain" aria-label="Close this message" @click="notices.drop(notice.id)">
        <X :size="14" />
      </button>
    </div>
  </div>
</template>
