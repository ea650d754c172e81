<script setup lang="ts">
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useSession } from '../stores/session'

const session = useSession()
const router = useRouter()
const route = useRoute()
const way = ref<'sign in' | 'register'>('sign in')
const email = ref('')
const password = ref('')
const problem = ref('')
const busy = ref(false)

async function enter() {
  busy.value = true
  problem.value = ''
  try {
    await session.enter(way.value, { email: email.value, password: password.value })
    const then = String(route.query.then ?? '/')
    await router.push(then.startsWith('/') && !then.startsWith('//') ? then : '/')
  } catch (error) {
    problem.value = (error as Error).message
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <main class="flex min-h-full items-center justify-center bg-room p-6">
    <form class="w-[360px] rounded-md bg-paper p-8" @submit.prevent="enter">
      <h1
        class="mb-1 inline-block border-b-2 border-dashed border-thread pb-1 font-read text-2xl font-semibold"
      >
        Needlepoint
      </h1>
      <p class="mb-6 text-quiet">Where, what, how much: portraits, quietly put right.</p>
      <label class="mb-4 block">
        E-mail
        <input
          v-model="email"
          class="field mt-1 block w-full"
          type="email"
          autocomplete="username"
          required
        />
      </label>
      <label class="mb-1 block">
        Password
        <input
          v-model="password"
          class="field mt-1 block w-full"
          type="password"
          :autocomplete="way === 'register' ? 'new-password' : 'current-password'"
          :minlength="way === 'register' ? 10 : undefined"
          required
        />
      </label>
      <p class="mb-4 min-h-5 text-quiet">{{ way === 'register' ? 'At least ten characters.' : '' }}</p>
      <p v-if="problem" class="mb-4 border-l-2 border-care pl-2" role="alert">{{ problem }}</p>
      <div class="flex items-center justify-between">
        <button class="button button-main" :disabled="busy" type="submit">
          {{ way === 'sign in' ? 'Sign in' : 'Make the account' }}
        </button>
        <button
          class="plain underline"
          type="button"
          @click="way = way === 'sign in' ? 'register' : 'sign in'"
        >
          {{ way === 'sign in' ? 'Make an account' : 'I have an account' }}
        </button>
      </div>
    </form>
  </main>
</template>
