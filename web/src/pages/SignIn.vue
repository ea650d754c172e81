<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import DoorPage from '../controls/DoorPage.vue'
import FormLine from '../controls/FormLine.vue'
import FormProblem from '../controls/FormProblem.vue'
import { useAttempt } from '../controls/useAttempt'
import { useSession } from '../stores/session'

type Way = 'sign in' | 'register' | 'code' | 'lost'
const session = useSession()
const router = useRouter()
const route = useRoute()
const way = ref<Way>('sign in')
const [email, password, code, said] = [ref(''), ref(''), ref(''), ref('')]
const { problem, busy, attempt } = useAttempt()

const label = computed(
  () =>
    ({
      'sign in': 'Sign in',
      register: 'Make the account',
      code: 'Go on',
      lost: 'Send a link',
    })[way.value],
)
function turn(to: Way) {
  way.value = to
  problem.value = said.value = code.value = ''
}
const enter = () =>
  attempt(async () => {
    if (way.value === 'lost') {
      said.value = await session.askForLink(email.value)
      return
    }
    if (way.value === 'code') await session.enterCode(code.value)
    else if (await session.enter(way.value, { email: email.value, password: password.value })) {
      password.value = ''
      turn('code')
      return
    }
    const then = String(route.query.then ?? '/')
    await router.push(then.startsWith('/') && !then.startsWith('//') ? then : '/')
  })
</script>

<template>
  <DoorPage>
    <form @submit.prevent="enter">
      <template v-if="way === 'code'">
        <p class="mb-4">Now the code that your authenticator shows, or one of the codes that you kept.</p>
        <FormLine v-model="code" label="Code" type="text" autocomplete="one-time-code" />
      </template>
      <template v-else>
        <p v-if="way === 'lost'" class="mb-4">A link for a new password is sent to this address.</p>
        <FormLine v-model="email" label="E-mail" type="email" autocomplete="username" />
        <FormLine
          v-if="way !== 'lost'"
          v-model="password"
          label="Password"
          :autocomplete="way === 'register' ? 'new-password' : 'current-password'"
          :at-least="way === 'register' ? 10 : undefined"
        />
      </template>
      <p v-if="way === 'register'" class="mb-4 text-quiet">At least ten characters.</p>
      <p v-if="said" class="mb-4 border-l-2 border-thread pl-2" role="status">{{ said }}</p>
      <FormProblem :words="problem" />
      <div class="mt-5 flex items-center justify-between">
        <button class="button button-main" :disabled="busy" type="submit">{{ label }}</button>
        <button
          class="plain underline"
          type="button"
          @click="turn(way === 'sign in' ? 'register' : 'sign in')"
        >
          {{ way === 'sign in' ? 'Make an account' : way === 'register' ? 'I have an account' : 'Back' }}
        </button>
      </div>
      <p v-if="way === 'sign in'" class="mt-5">
        <button class="plain -ml-1 text-quiet underline" type="button" @click="turn('lost')">
          I do not know the password any more
        </button>
      </p>
    </form>
  </DoorPage>
</template>
