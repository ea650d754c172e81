<script setup lang="ts">
import { ref } from 'vue'
import { api, type Schema } from '../api/client'
import FormLine from '../controls/FormLine.vue'
import FormProblem from '../controls/FormProblem.vue'
import { useAttempt } from '../controls/useAttempt'
import { useNotices } from '../stores/notices'

defineProps<{ on: boolean; left: number }>()
const emit = defineEmits<{ changed: [] }>()
const notices = useNotices()
const { problem, busy, attempt } = useAttempt()
const [password, code] = [ref(''), ref('')]
const key = ref<Schema['KeyOut'] | null>(null)
const codes = ref<string[]>([])

const begin = () =>
  attempt(async () => {
    key.value = (await api.POST('/api/account/key', { body: { password: password.value } })).data!
    password.value = code.value = ''
  })
const turnOn = () =>
  attempt(async () => {
    codes.value = (await api.POST('/api/account/second-step', { body: { code: code.value } })).data!.codes
    key.value = null
    emit('changed')
  })
const turnOff = () =>
  attempt(async () => {
    const { data } = await api.POST('/api/account/one-step', { body: { password: password.value } })
    password.value = ''
    codes.value = []
    notices.say(data!.detail)
    emit('changed')
  })
</script>

<template>
  <section aria-label="A second step">
    <h2 class="mb-2 font-read text-xl">A second step</h2>
    <div v-if="codes.length" class="mb-4">
      <p class="mb-2">
        It is on. Keep these codes somewhere else than the authenticator: each signs you in once, should you
        lose it. They are shown only now.
      </p>
      <ul class="grid grid-cols-2 gap-x-8 gap-y-1 border-l-2 border-thread pl-3 font-mono" data-codes>
        <li v-for="one in codes" :key="one">{{ one }}</li>
      </ul>
    </div>
    <p v-if="on && !codes.length" class="mb-4 text-quiet">
      After your password, a code of your authenticator is asked for. {{ left }} of the codes for the day on
      which it is lost are left.
    </p>
    <p v-if="!on && !key" class="mb-4 text-quiet">
      After your password, a code would be asked for that an authenticator on your telephone shows: who has
      only the password does not come in.
    </p>
    <form v-if="key" aria-label="The new key" @submit.prevent="turnOn">
      <p class="mb-3">Let your authenticator read this picture, or type the key into it.</p>
      <div class="mb-3 flex items-center gap-5">
        <img :src="key.picture" alt="The key as a picture for the authenticator" class="w-40 bg-white p-2" />
        <code class="break-all" data-key>{{ key.secret.replace(/.{4}/g, '$& ') }}</code>
      </div>
      <FormLine v-model="code" label="The code that it shows now" type="text" autocomplete="one-time-code" />
      <FormProblem :words="problem" />
      <button class="button button-main" type="submit" :disabled="busy">Turn it on</button>
      <button class="button ml-2" type="button" @click="key = null">Not now</button>
    </form>
    <form v-else :aria-label="on ? 'Turn it off' : 'Set it up'" @submit.prevent="on ? turnOff() : begin()">
      <FormLine v-model="password" label="Your password, to be sure" autocomplete="current-password" />
      <FormProblem :words="problem" />
      <button class="button" type="submit" :disabled="busy || !password">
        {{ on ? 'Sign in by the password alone again' : 'Set it up' }}
      </button>
    </form>
  </section>
</template>
