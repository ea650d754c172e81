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
  /** Sign in; whether a code is asked for as well. */
  async function enter(way: 'sign in' | 'register', body: { email: string; password: string }) {
    const { data } =
      way === 'sign in' ? await api.POST('/api/session', { body }) : await api.POST('/api/accounts', { body })
    email.value = data?.email ?? null
    return data?.second_step ?? false
  }
  async function enterCode(code: string) {
    email.value = (await api.POST('/api/session/code', { body: { code } })).data?.email ?? null
  }
  /** Ask for a link for a new password; what became of it. */
  const askForLink = async (address: string) =>
    (await api.POST('/api/links', { body: { email: address } })).data!.detail
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
  return { email, known, ask, enter, enterCode, askForLink, leave, changePassword, deleteAccount }
})
