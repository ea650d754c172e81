<script setup lang="ts">
import { api, type Schema } from '../api/client'
import { useNotices } from '../stores/notices'
import { browserName } from './visits'

defineProps<{ visits: Schema['VisitOut'][] }>()
const emit = defineEmits<{ changed: [] }>()
const notices = useNotices()

async function end(id: number) {
  try {
    await api.DELETE('/api/visits/{visit_id}', { params: { path: { visit_id: id } } })
  } catch (error) {
    notices.complain(error)
  }
  emit('changed')
}
const when = (text: string) =>
  new Date(text).toLocaleString('en-GB', {
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
  })
</script>

<template>
  <section aria-label="Where you are signed in">
    <h2 class="mb-2 font-read text-xl">Where you are signed in</h2>
    <ul class="divide-y divide-line">
      <li v-for="visit in visits" :key="visit.id" class="flex items-center gap-4 py-2" data-visit>
        <span class="grow">
          {{ browserName(visit.browser) }}<template v-if="visit.address">, {{ visit.address }}</template>
          <span class="block text-quiet">{{
            visit.here ? 'here, now' : `since ${when(visit.began)}, last seen ${when(visit.seen)}`
          }}</span>
        </span>
        <button v-if="!visit.here" class="button" @click="end(visit.id)">Sign out there</button>
      </li>
    </ul>
  </section>
</template>
