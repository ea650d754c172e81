<script setup lang="ts">
import { Trash2 } from '@lucide/vue'
import { onMounted, ref } from 'vue'
import { api, type Preset, presetFrom } from '../api/client'
import Ask from '../controls/Ask.vue'
import PageHead from '../controls/PageHead.vue'
import { useNotices } from '../stores/notices'
import { usePresets } from '../stores/presets'

const presets = usePresets()
const notices = useNotices()
const chooser = ref<HTMLInputElement | null>(null)
const asking = ref<{ what: 'name' | 'notes' | 'delete'; preset: Preset } | null>(null)
/** Of which preset the picture before is shown. */
const before = ref<number | null>(null)

onMounted(presets.fetch)

async function take(files: FileList | null | undefined) {
  for (const file of files ?? [])
    try {
      await presetFrom(file)
    } catch (error) {
      notices.complain(error)
    }
  await presets.fetch()
}
async function answer(value: string) {
  const { what, preset } = asking.value!
  asking.value = null
  const params = { path: { preset_id: preset.id } }
  try {
    if (what === 'delete') await api.DELETE('/api/presets/{preset_id}', { params })
    else {
      const body = { name: preset.name, notes: preset.notes, [what]: value }
      await api.PATCH('/api/presets/{preset_id}', { params, body })
    }
  } catch (error) {
    notices.complain(error)
  }
  await presets.fetch()
}
</script>

<template>
  <div class="flex min-h-full flex-col" @dragover.prevent @drop.prevent="take($event.dataTransfer?.files)">
    <PageHead :trail="[{ text: 'Sittings', to: '/' }, { text: 'Presets' }]" />
    <main class="mx-auto w-full max-w-[1080px] p-8">
      <div class="mb-6 flex items-baseline justify-between">
        <h1 class="font-read text-2xl">Presets</h1>
        <button class="button" @click="chooser?.click()">Bring one in</button>
        <input
          ref="chooser"
          type="file"
          multiple
          accept=".json,application/json"
          class="hidden"
          aria-label="Choose preset files"
          @change="(take(chooser?.files), (chooser!.value = ''))"
        />
      </div>
      <p v-if="presets.list === null" class="text-quiet">Fetching your presets…</p>
      <div
        v-else-if="!presets.list.length"
        class="rounded-md border border-dashed border-rule p-12 text-center"
      >
        <p class="mb-1 font-read text-xl">No preset yet.</p>
        <p class="text-quiet">
          In a portrait, pick touches by Ctrl and a click, then “save as a preset”. Or bring in a file.
        </p>
      </div>
      <ul v-else class="grid grid-cols-3 gap-5">
        <li
          v-for="one in presets.list"
          :key="one.id"
          class="flex flex-col overflow-hidden rounded-md border border-line"
          :data-preset="one.name"
        >
          <button
            v-if="one.pictured"
            class="relative flex h-60 items-center justify-center bg-room"
            data-tip="Hold to see the portrait before"
            :aria-label="`${one.name}, hold to see before`"
            @pointerdown="before = one.id"
            @pointerup="before = null"
            @pointerleave="before = null"
            @keydown.space.prevent="before = one.id"
            @keyup.space.prevent="before = null"
          >
            <img
              v-for="which in ['after', 'before'] as const"
              v-show="(which === 'before') === (before === one.id)"
              :key="which"
              :src="`/api/presets/${one.id}/${which}`"
              alt=""
              class="max-h-full max-w-full object-contain"
            />
            <span v-if="before === one.id" class="absolute bottom-2 left-2 bg-paper px-2">before</span>
          </button>
          <p v-else class="flex h-60 items-center justify-center bg-room text-white">came as a file</p>
          <div class="flex grow items-start gap-2 p-3">
            <div class="min-w-0 grow">
              <p class="font-read text-lg">{{ one.name }}</p>
              <p class="whitespace-pre-line text-quiet">{{ one.notes }}</p>
              <p class="mt-1 flex flex-wrap gap-x-3">
                <button class="way" @click="asking = { what: 'name', preset: one }">rename</button>
                <button class="way" @click="asking = { what: 'notes', preset: one }">notes</button>
                <a class="way" :href="`/api/presets/${one.id}/file`" download>as a file</a>
              </p>
            </div>
            <button
              class="plain"
              :aria-label="`Delete ${one.name}`"
              @click="asking = { what: 'delete', preset: one }"
            >
              <Trash2 :size="15" />
            </button>
          </div>
        </li>
      </ul>
    </main>
    <Ask
      :open="asking !== null"
      :title="asking?.what === 'delete' ? `Delete ${asking.preset.name}?` : `Change ${asking?.preset.name}`"
      :text="asking?.what === 'delete' ? 'Portraits that it was laid on keep their touches.' : ''"
      :field="{ name: 'Its name', notes: 'Notes', delete: '' }[asking?.what ?? 'delete']"
      :value="asking && asking.what !== 'delete' ? asking.preset[asking.what] : ''"
      :most="asking?.what === 'notes' ? 2000 : 120"
      :optional="asking?.what === 'notes'"
      :action="asking?.what === 'delete' ? 'Delete' : 'Change it'"
      @close="asking = null"
      @done="answer"
    />
  </div>
</template>
