<script setup lang="ts">
import { RouterLink } from 'vue-router'
import { useNotices } from '../stores/notices'
import { useSession } from '../stores/session'

defineProps<{ trail?: { text: string; to?: string }[] }>()
const session = useSession()
const notices = useNotices()

async function leave() {
  try {
    await session.leave()
    // Nothing of one person stays in the window for the next.
    location.assign('/sign-in')
  } catch (error) {
    notices.complain(error)
  }
}
</script>

<template>
  <header class="flex h-11 shrink-0 items-center gap-4 border-b border-line bg-paper px-4">
    <RouterLink
      to="/"
      class="border-b-2 border-dashed border-thread font-read text-lg leading-6 font-semibold"
    >
      Needlepoint
    </RouterLink>
    <nav class="flex items-center gap-2 text-quiet" aria-label="Where you are">
      <template v-for="(step, i) in trail ?? []" :key="i">
        <span v-if="i" aria-hidden="true">·</span>
        <RouterLink v-if="step.to" :to="step.to" class="way">{{ step.text }}</RouterLink>
        <span v-else class="font-semibold text-ink">{{ step.text }}</span>
      </template>
    </nav>
    <div class="grow" />
    <RouterLink to="/presets" class="way text-quiet">Presets</RouterLink>
    <RouterLink to="/account" class="way text-quiet" data-tip="password, account">
      {{ session.email }}
    </RouterLink>
    <button class="button" @click="leave">Sign out</button>
  </header>
</template>
