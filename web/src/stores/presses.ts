import { defineStore } from 'pinia'
import { ref } from 'vue'
import { api, type Schema } from '../api/client'

/** The presses that one has brought in. */
export const usePresses = defineStore('presses', () => {
  const list = ref<Schema['PressOut'][] | null>(null)
  async function fetch() {
    list.value = (await api.GET('/api/presses')).data!
  }
  return { list, fetch }
})
