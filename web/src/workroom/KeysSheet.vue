<script setup lang="ts">
import {
  Dialog,
  DialogPanel,
  DialogTitle,
  Tab,
  TabGroup,
  TabList,
  TabPanel,
  TabPanels,
} from '@headlessui/vue'
import { ref } from 'vue'
import { JOBS } from '../help/jobs'
import type { KeySection } from './keys'

defineProps<{ open: boolean; sections: KeySection[] }>()
defineEmits<{ close: [] }>()
const shown = ref(0)
</script>

<template>
  <Dialog v-if="open" :open="true" class="relative z-40" @close="$emit('close')">
    <div class="fixed inset-0 bg-black/40" aria-hidden="true" />
    <div class="fixed inset-0 flex items-center justify-center p-4">
      <DialogPanel class="max-h-[90vh] w-[760px] overflow-auto rounded-md bg-paper p-6">
        <DialogTitle class="sr-only">Keys and handbook</DialogTitle>
        <TabGroup>
          <div class="mb-4 flex justify-between">
            <TabList class="group-buttons">
              <Tab v-for="title in ['Keys', 'Handbook']" :key="title" as="template">
                <button>{{ title }}</button>
              </Tab>
            </TabList>
            <button class="button" @click="$emit('close')">Close</button>
          </div>
          <TabPanels>
            <TabPanel class="gap-x-8 sm:columns-2">
              <section v-for="group in sections" :key="group.title" class="mb-4 break-inside-avoid">
                <h3 class="mb-1 font-semibold">{{ group.title }}</h3>
                <dl class="grid grid-cols-[118px_1fr] gap-y-1">
                  <template v-for="row in group.rows" :key="row.shown">
                    <dt class="text-quiet">{{ row.shown }}</dt>
                    <dd>{{ row.words }}</dd>
                  </template>
                </dl>
              </section>
            </TabPanel>
            <TabPanel class="flex gap-8">
              <ul class="w-56 shrink-0 space-y-1">
                <li v-for="(one, i) in JOBS" :key="one.job">
                  <button
                    class="plain text-left"
                    :class="i === shown ? 'font-semibold underline' : ''"
                    :aria-current="i === shown || undefined"
                    @click="shown = i"
                  >
                    {{ one.job }}
                  </button>
                </li>
              </ul>
              <section>
                <h3 class="mb-3 font-read text-xl">{{ JOBS[shown]!.job }}</h3>
                <ol class="list-decimal space-y-2.5 pl-5">
                  <li v-for="step in JOBS[shown]!.steps" :key="step.say" class="pl-1">{{ step.say }}</li>
                </ol>
              </section>
            </TabPanel>
          </TabPanels>
        </TabGroup>
      </DialogPanel>
    </div>
  </Dialog>
</template>
