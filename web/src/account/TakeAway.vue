<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import FormLine from '../controls/FormLine.vue'
import FormProblem from '../controls/FormProblem.vue'
import { useAttempt } from '../controls/useAttempt'
import { useNotices } from '../stores/notices'
import { useSession } from '../stores/session'

const session = useSession()
const notices = useNotices()
const router = useRouter()
const { problem, busy, attempt } = useAttempt()
const password = ref('')
const takeAway = () =>
  attempt(async () => {
    await session.deleteAccount(password.value)
    await router.push('/sign-in')
    notices.say('The account is deleted, with everything that it held.')
  })
</script>

<template>
  <form aria-label="Delete the account" @submit.prevent="takeAway">
    <h2 class="mb-2 font-read text-xl">Delete the account</h2>
    <p class="mb-4 text-quiet">
      Everything goes with it, at once and for good: sittings, originals, sheets with their history, and
      files. Export first what you want to keep.
    </p>
    <FormLine v-model="password" label="Your password, to be sure" autocomplete="current-password" />
    <FormProblem :words="problem" />
    <button class="button" type="submit" :disabled="busy || !password">Delete it with everything</button>
  </form>
</template>
