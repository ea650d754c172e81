import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import { api, type Preset } from '../api/client'
import { useNotices } from './notices'

/** The presets of who is signed in. */
export const usePresets = defineStore('presets', () => {
  const notices = useNotices()
  const list = shallowRef<Preset[] | null>(null)

  async function fetch() {
    try {
      list.value = (await api.GET('/api/presets')).data!
    } catch (error) {
      notices.complain(error)
    }
  }
  return { list, fetch }
})
