import { defineStore } from 'pinia'
import { ref } from 'vue'
import { api } from '../api/client'

/** Who is signed in. */
export const useSession = defineStore('session', () => {
  const email = ref<string | null>(null)
  const known = ref(false)

  async function ask() {
    const { data } = await api.GET('/api/session')
    email.value = data?.email ?? null
    known.value = true
  }
  async function enter(way: 'sign in' | 'register', body: { email: string; password: string }) {
    const { data } =
      way === 'sign in' ? await api.POST('/api/session', { body }) : await api.POST('/api/accounts', { body })
    email.value = data?.email ?? null
  }
  async function leave() {
    await api.DELETE('/api/session')
    email.value = null
  }
  const changePassword = (old: string, next: string) =>
    api.POST('/api/account/password', { body: { old, new: next } })
  /** Delete the account with all that it holds. */
  async function deleteAccount(password: string) {
    await api.POST('/api/account/deletion', { body: { password } })
    email.value = null
  }
  return { email, known, ask, enter, leave, changePassword, deleteAccount }
})
