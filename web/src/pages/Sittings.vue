<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { api, type Sitting } from '../api/client'
import Ask from '../controls/Ask.vue'
import PageHead from '../controls/PageHead.vue'
import { useNotices } from '../stores/notices'

const router = useRouter()
const notices = useNotices()
const sittings = ref<Sitting[] | null>(null)
const asking = ref(false)

onMounted(load)

async function load() {
  try {
    sittings.value = (await api.GET('/api/sittings')).data!
  } catch (error) {
    notices.complain(error)
  }
}
async function make(name: string) {
  asking.value = false
  try {
    const { data } = await api.POST('/api/sittings', { body: { name } })
    await router.push(`/sittings/${data!.id}`)
  } catch (error) {
    notices.complain(error)
  }
}
</script>

<template>
  <div class="flex min-h-full flex-col">
    <PageHead :trail="[{ text: 'Sittings' }]" />
    <main class="mx-auto w-full max-w-[1080px] p-8">
      <div class="mb-6 flex items-baseline justify-between">
        <h1 class="font-read text-2xl">Sittings</h1>
        <button class="button button-main" @click="asking = true">New sitting</button>
      </div>
      <p v-if="sittings === null" class="text-quiet">Fetching your sittings…</p>
      <div
        v-else-if="sittings.length === 0"
        class="rounded-md border border-dashed border-rule p-12 text-center"
      >
        <p class="mb-1 font-read text-xl">No sitting yet.</p>
        <p class="text-quiet">
          A sitting holds the pictures of one portrait session. Make one, and drop its files on it.
        </p>
      </div>
      <ul v-else class="grid grid-cols-3 gap-5">
        <li v-for="sitting in sittings" :key="sitting.id">
          <RouterLink
            :to="`/sittings/${sitting.id}`"
            class="block overflow-hidden rounded-md border border-line bg-inset hover:border-thread"
          >
            <span class="flex h-44 gap-px bg-room">
              <span v-if="sitting.covers.length === 0" class="m-auto text-white">no picture ready yet</span>
              <img
                v-for="cover in sitting.covers"
                :key="cover"
                :src="`/api/portraits/${cover}/thumbnail`"
                alt=""
                class="h-full min-w-0 flex-1 object-cover"
              />
            </span>
            <span class="flex items-baseline justify-between bg-paper p-3">
              <span class="font-read text-lg">{{ sitting.name }}</span>
              <span class="text-quiet">{{ sitting.count }} portrait{{ sitting.count === 1 ? '' : 's' }}</span>
            </span>
          </RouterLink>
        </li>
      </ul>
    </main>
    <Ask
      :open="asking"
      title="A new sitting"
      field="Its name"
      action="Make the sitting"
      @close="asking = false"
      @done="make"
    />
  </div>
</template>
