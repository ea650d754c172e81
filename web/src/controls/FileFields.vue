<script setup lang="ts">
import { computed, onMounted, watch } from 'vue'
import type { FileIn } from '../api/client'
import { useNotices } from '../stores/notices'
import { usePresses } from '../stores/presses'
import NumberField from './NumberField.vue'

/** What kind of file, how large, and for what it is sharpened. */
const file = defineModel<FileIn>({ required: true })
/** What the original's own profile is called. */
defineProps<{ profile?: string }>()

const notices = useNotices()
const presses = usePresses()
const EIGHT = ['jpeg', 'webp', 'ora']
const eight = computed(() => EIGHT.includes(file.value.form))
const lossy = computed(() => ['jpeg', 'webp', 'avif', 'jxl'].includes(file.value.form))
/** Whether it can hold the four inks of a press. */
const inks = computed(() => ['jpeg', 'tiff'].includes(file.value.form))
/** Whether it holds profiles; one that does not is sRGB. */
const profiled = computed(() => file.value.form !== 'jxl')
const into = computed({
  get: () => (file.value.into === 'press' ? file.value.press! : file.value.into),
  set: (value) => {
    file.value.press = typeof value === 'number' ? value : null
    file.value.into = typeof value === 'number' ? 'press' : value
  },
})
onMounted(() => presses.list ?? presses.fetch().catch(notices.complain))
/** What a size is measured in, and what is usual. */
const SIZES: Record<string, { words: string; unit: string; usual: number }> = {
  full: { words: 'full size', unit: '', usual: 0 },
  long: { words: 'long side', unit: 'px', usual: 2048 },
  megapixels: { words: 'megapixels', unit: 'MP', usual: 6 },
  print: { words: 'print', unit: 'cm', usual: 30 },
}
const unit = computed(() => SIZES[file.value.by]!.unit)
watch(
  () => file.value.form,
  () => {
    if (eight.value) file.value.bits = 8
    if (file.value.form === 'ora') file.value.with_sheet = false
    if (!profiled.value || (!inks.value && file.value.into === 'press')) into.value = 'srgb'
  },
)
watch(
  () => file.value.by,
  (by) => (file.value.amount = SIZES[by]!.usual),
)
</script>

<template>
  <div class="space-y-2">
    <label class="flex items-center gap-3">
      <span class="w-20">file</span>
      <select v-model="file.form" class="field grow">
        <option value="jpeg">JPEG</option>
        <option value="png">PNG</option>
        <option value="tiff">TIFF</option>
        <option value="webp">WebP</option>
        <option value="avif">AVIF</option>
        <option value="jxl">JPEG XL</option>
        <option value="ora">OpenRaster, in layers</option>
      </select>
      <select
        v-model="file.bits"
        class="field w-28"
        aria-label="depth"
        :disabled="eight"
        :data-tip="eight ? 'This file holds 8 bits' : ''"
      >
        <option :value="8">8 bit</option>
        <option :value="16">{{ file.form === 'avif' ? '12 bit' : '16 bit' }}</option>
      </select>
    </label>
    <label class="flex items-center gap-3">
      <span class="w-20">colours</span>
      <select
        v-model="into"
        class="field grow"
        :disabled="!profiled"
        :data-tip="profiled ? '' : 'JPEG XL is written in sRGB'"
      >
        <option value="srgb">sRGB</option>
        <option value="display-p3">Display P3</option>
        <option value="original">as the original{{ profile ? ` (${profile})` : '' }}</option>
        <option v-for="one in presses.list ?? []" :key="one.id" :value="one.id" :disabled="!inks">
          in four inks: {{ one.name }}{{ inks ? '' : ' (TIFF or JPEG)' }}
        </option>
      </select>
    </label>
    <NumberField
      v-if="lossy"
      class="[&>label]:w-[84px]"
      :model-value="file.quality ?? 92"
      label="quality"
      :low="1"
      :high="100"
      :step="1"
      :neutral="92"
      @attempt="file.quality = $event"
      @change="file.quality = $event"
    />
    <div class="flex items-center gap-3">
      <label class="flex grow items-center gap-3">
        <span class="w-20">size</span>
        <select v-model="file.by" class="field grow">
          <option v-for="(size, by) in SIZES" :key="by" :value="by">{{ size.words }}</option>
        </select>
      </label>
      <label v-if="unit" class="flex items-center gap-1">
        <input
          v-model.number="file.amount"
          class="field w-20"
          inputmode="decimal"
          :aria-label="`${SIZES[file.by!]!.words} in ${unit}`"
        />
        {{ unit }}
      </label>
      <label v-if="file.by === 'print'" class="flex items-center gap-1">
        <input v-model.number="file.dpi" class="field w-16" inputmode="numeric" aria-label="dots per inch" />
        dpi
      </label>
    </div>
    <label class="flex items-center gap-3">
      <span class="w-20">sharpened</span>
      <select v-model="file.sharpen" class="field grow">
        <option value="no">as it is</option>
        <option value="screen">for a screen</option>
        <option value="glossy paper">for glossy paper</option>
        <option value="matt paper">for matt paper</option>
      </select>
    </label>
    <p class="flex gap-5 pl-[92px]">
      <label class="flex items-center gap-2" data-tip="else it is left out of the file">
        <input v-model="file.place" type="checkbox" class="size-4 accent-thread" />
        say where it was taken
      </label>
      <label
        class="flex items-center gap-2"
        :data-tip="
          file.form === 'ora'
            ? 'A file in layers has no place for it'
            : 'as XMP: the file can be brought in again'
        "
      >
        <input
          v-model="file.with_sheet"
          type="checkbox"
          class="size-4 accent-thread"
          :disabled="file.form === 'ora'"
        />
        the sheet inside
      </label>
    </p>
  </div>
</template>
