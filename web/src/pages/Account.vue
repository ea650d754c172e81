<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'
import Password from '../account/Password.vue'
import PressList from '../account/PressList.vue'
import SecondStep from '../account/SecondStep.vue'
import TakeAway from '../account/TakeAway.vue'
import VisitList from '../account/VisitList.vue'
import { api, type Schema } from '../api/client'
import PageHead from '../controls/PageHead.vue'
import { useNotices } from '../stores/notices'

const notices = useNotices()
const account = ref<Schema['AccountOut'] | null>(null)
async function load() {
  try {
    account.value = (await api.GET('/api/account')).data!
  } catch (error) {
    notices.complain(error)
  }
}
onMounted(load)
const size = (bytes: number) =>
  bytes >= 1e8 ? `${Number((bytes / 1e9).toFixed(1))} GB` : `${(bytes / 1e6).toFixed(1)} MB`
const taken = computed(() => {
  const { bytes, most_bytes: most } = account.value!
  return most ? `${size(bytes)} of ${size(most)}` : size(bytes)
})
</script>

<template>
  <div class="flex min-h-full flex-col">
    <PageHead :trail="[{ text: 'Sittings', to: '/' }, { text: 'Account' }]" />
    <main class="mx-auto w-full max-w-[980px] p-8">
      <h1 class="mb-1 font-read text-2xl">Your account</h1>
      <p class="mb-8 min-h-5 text-quiet" data-share>
        <template v-if="account">
          Your pictures, with what is worked out from them, and your files take {{ taken }}.
        </template>
      </p>
      <div class="grid gap-x-14 gap-y-10 md:grid-cols-2">
        <div class="space-y-10">
          <VisitList v-if="account" :visits="account.visits" @changed="load" />
          <SecondStep v-if="account" :on="account.second_step" :left="account.codes_left" @changed="load" />
        </div>
        <div class="space-y-10">
          <Password @changed="load" />
          <PressList />
          <TakeAway />
        </div>
      </div>
    </main>
  </div>
</template>
