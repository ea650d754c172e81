<script setup lang="ts">
import { ref } from 'vue'
import FormLine from '../controls/FormLine.vue'
import FormProblem from '../controls/FormProblem.vue'
import { useAttempt } from '../controls/useAttempt'
import { useNotices } from '../stores/notices'
import { useSession } from '../stores/session'

const emit = defineEmits<{ changed: [] }>()
const session = useSession()
const notices = useNotices()
const { problem, busy, attempt } = useAttempt()
const [old, next] = [ref(''), ref('')]
const change = () =>
  attempt(async () => {
    await session.changePassword(old.value, next.value)
    old.value = next.value = ''
    notices.say('The password is changed. Wherever else you were signed in, you are no longer.')
    emit('changed')
  })
</script>

<template>
  <form aria-label="Another password" @submit.prevent="change">
    <h2 class="mb-4 font-read text-xl">Another password</h2>
    <input type="hidden" autocomplete="username" :value="session.email" />
    <FormLine v-model="old" label="The password now" autocomplete="current-password" />
    <FormLine
      v-model="next"
      label="The new one, at least ten characters"
      autocomplete="new-password"
      :at-least="10"
    />
    <FormProblem :words="problem" />
    <button class="button" type="submit" :disabled="busy">Change the password</button>
  </form>
</template>
