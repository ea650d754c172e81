<script setup lang="ts">
import { Flag, Trash2 } from '@lucide/vue'
import { computed, onMounted, ref, watch } from 'vue'
import { RouterLink } from 'vue-router'
import Ask from '../controls/Ask.vue'
import { useTouches } from '../edits/touches'
import { useHistory } from '../stores/history'
import { useRoom } from '../stores/room'
import { useSheet } from '../stores/sheet'

/** Every edit in words: go back to any point and forward again; marks name points, takes are variants side by side. */
const history = useHistory()
const sheet = useSheet()
const room = useRoom()
const asking = ref<
  { what: 'mark'; edit: number | null } | { what: 'take' } | { what: 'name'; take: number } | null
>(null)

const actions = useTouches()
const chooser = ref<HTMLInputElement | null>(null)
function bring() {
  const file = chooser.value?.files?.[0]
  if (file) void actions.laySheet(file)
  chooser.value!.value = ''
}
onMounted(history.load)
watch([() => sheet.revision, () => sheet.portrait?.id], history.load)

const newestFirst = computed(() => [...history.line].reverse())
const marksAt = (edit: number | null) => history.marks.filter((m) => m.edit === edit)
const today = new Date().toDateString()
function time(created: string) {
  const at = new Date(created)
  const clock = at.toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' })
  return at.toDateString() === today
    ? clock
    : `${at.toLocaleDateString([], { day: 'numeric', month: 'short' })}, ${clock}`
}
const title = computed(() => {
  if (asking.value?.what === 'mark') return 'Mark this point'
  return asking.value?.what === 'name' ? 'Name this take' : 'Start a take from here'
})
const started = computed(() => {
  if (asking.value?.what !== 'name') return ''
  const id = asking.value.take
  return history.takes.find((t) => t.id === id)?.name ?? ''
})
function named(name: string) {
  const what = asking.value
  asking.value = null
  if (what?.what === 'mark') void history.mark(what.edit, name)
  else if (what?.what === 'name') void history.nameTake(what.take, name)
  else void history.newTake(name)
}
</script>

<template>
  <aside class="flex h-full w-[316px] shrink-0 flex-col border-l border-line bg-paper" aria-label="History">
    <div class="flex items-center justify-between px-3.5 pt-3">
      <h2 class="font-read text-[19px] font-semibold">History</h2>
      <button class="plain text-quiet" @click="room.history = false">close ›</button>
    </div>
    <div class="border-b border-dotted border-rule px-3.5 pt-1 pb-2.5">
      <p class="mb-1 text-quiet">
        {{
          history.takes.length
            ? 'Takes: each stands where it was left.'
            : 'A take is another way of doing it, beside this one.'
        }}
      </p>
      <div class="flex flex-wrap gap-1">
        <template v-for="take in history.takes" :key="take.id">
          <button
            class="button min-h-[26px] px-2"
            :class="take.id === history.take ? 'button-main' : ''"
            :aria-pressed="take.id === history.take"
            :data-tip="
              take.id === history.take
                ? 'Open; a double click renames it'
                : 'Open it; a double click renames it'
            "
            @click="take.id === history.take || sheet.jump({ to: 'take', take: take.id })"
            @dblclick="asking = { what: 'name', take: take.id }"
          >
            {{ take.name }}
          </button>
          <button
            v-if="take.id !== history.take"
            class="plain -ml-1"
            :aria-label="`Delete the take ${take.name}; its edits stay`"
            @click="history.deleteTake(take.id)"
          >
            <Trash2 :size="13" />
          </button>
        </template>
        <button class="button min-h-[26px] px-2" @click="asking = { what: 'take' }">+ new take</button>
      </div>
    </div>
    <ol class="min-h-0 grow overflow-y-auto px-2 py-2 [scrollbar-width:thin]" data-history>
      <li v-for="told in newestFirst" :key="told.edit?.id ?? 0" class="[content-visibility:auto]">
        <p
          v-for="mark in marksAt(told.edit?.id ?? null)"
          :key="mark.id"
          class="flex items-center gap-1.5 px-1.5 pt-1.5"
        >
          <Flag :size="13" class="text-thread" />
          <button
            class="grow text-left font-read text-[15px] font-semibold hover:underline"
            @click="sheet.jump({ to: 'edit', edit: told.edit?.id ?? null })"
          >
            {{ mark.name }}
          </button>
          <button class="plain" :aria-label="`Remove the mark ${mark.name}`" @click="history.unmark(mark.id)">
            <Trash2 :size="13" />
          </button>
        </p>
        <button
          v-for="branch in told.branches"
          :key="branch.tip.id"
          class="ml-6 block w-[calc(100%-1.5rem)] border-l-2 border-dashed border-thread py-1 pl-2 text-left text-quiet hover:underline"
          :data-tip="branch.tip.words"
          @click="sheet.jump({ to: 'edit', edit: branch.tip.id })"
        >
          another way from here, {{ branch.count }} {{ branch.count === 1 ? 'edit' : 'edits' }}
        </button>
        <div
          class="group flex items-start rounded-md"
          :class="
            (told.edit?.id ?? null) === history.head
              ? 'bg-white/80 outline-2 -outline-offset-2 outline-thread outline-dashed'
              : 'hover:bg-inset'
          "
        >
          <button
            class="flex min-h-7 min-w-0 grow items-baseline gap-2 px-1.5 py-1 text-left"
            :class="told.ahead ? 'text-quiet' : ''"
            :aria-current="(told.edit?.id ?? null) === history.head"
            :data-edit="told.number"
            @click="sheet.jump({ to: 'edit', edit: told.edit?.id ?? null })"
          >
            <span class="w-7 shrink-0 text-right text-quiet">{{ told.number }}</span>
            <span class="grow break-words">{{ told.edit?.words ?? 'the beginning' }}</span>
            <span v-if="told.edit" class="shrink-0 text-[12px] text-quiet">{{
              time(told.edit.created)
            }}</span>
          </button>
          <button
            class="plain shrink-0 text-quiet opacity-60 hover:opacity-100 focus:opacity-100"
            :aria-label="`Mark point ${told.number}`"
            data-tip="Mark this point"
            @click="asking = { what: 'mark', edit: told.edit?.id ?? null }"
          >
            <Flag :size="13" />
          </button>
        </div>
      </li>
    </ol>
    <p class="flex flex-col items-start gap-1 border-t border-line px-3.5 py-2">
      <RouterLink :to="`/portraits/${sheet.portrait?.id}/page`" class="underline decoration-dotted">
        The sheet as a page to read or print
      </RouterLink>
      <button
        class="underline decoration-dotted"
        data-tip="its touches come after those that are here, as one edit"
        @click="chooser?.click()"
      >
        Bring in a sheet: a file, or a finished picture with one inside
      </button>
      <input
        ref="chooser"
        type="file"
        accept=".json,.jpg,.jpeg,.png,.tif,.tiff,.webp,.avif,.jxl"
        class="hidden"
        aria-label="Choose a sheet, or a picture with one inside"
        @change="bring"
      />
    </p>
    <Ask
      :open="asking !== null"
      :title="title"
      field="Its name"
      :value="started"
      :action="asking?.what === 'name' ? 'Rename' : asking?.what === 'mark' ? 'Mark' : 'Start'"
      @close="asking = null"
      @done="named"
    />
  </aside>
</template>
