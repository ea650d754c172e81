<script setup lang="ts">
import { ref } from 'vue'
import { api } from '../api/client'
import DoorPage from '../controls/DoorPage.vue'
import FormLine from '../controls/FormLine.vue'
import FormProblem from '../controls/FormProblem.vue'
import { useAttempt } from '../controls/useAttempt'

const props = defineProps<{ who: string; token: string }>()
const { problem, busy, attempt } = useAttempt()
const [password, said] = [ref(''), ref('')]
const set = () =>
  attempt(async () => {
    const body = { who: props.who, token: props.token, password: password.value }
    said.value = (await api.POST('/api/links/password', { body })).data!.detail
  })
</script>

<template>
  <DoorPage>
    <template v-if="said">
      <p class="mb-5" role="status">{{ said }}</p>
      <RouterLink to="/sign-in" class="button button-main inline-block">Sign in</RouterLink>
    </template>
    <form v-else @submit.prevent="set">
      <FormLine
        v-model="password"
        label="The new password, at least ten characters"
        autocomplete="new-password"
        :at-least="10"
      />
      <FormProblem :words="problem" />
      <button class="button button-main mt-2" :disabled="busy" type="submit">Set it</button>
    </form>
  </DoorPage>
</template>
