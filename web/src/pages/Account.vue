<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import PageHead from '../controls/PageHead.vue'
import { useNotices } from '../stores/notices'
import { useSession } from '../stores/session'

const session = useSession()
const notices = useNotices()
const router = useRouter()
const [old, next, last] = [ref(''), ref(''), ref('')]
const [problem, refusal] = [ref(''), ref('')]
const busy = ref(false)

/** Do it, and say in its own form why not. */
async function attempt(work: () => Promise<unknown>, words: { value: string }) {
  busy.value = true
  words.value = ''
  try {
    await work()
  } catch (error) {
    words.value = (error as Error).message
  } finally {
    busy.value = false
  }
}
const change = () =>
  attempt(async () => {
    await session.changePassword(old.value, next.value)
    old.value = next.value = ''
    notices.say('The password is changed. Wherever else you were signed in, you are no longer.')
  }, problem)
const takeAway = () =>
  attempt(async () => {
    await session.deleteAccount(last.value)
    await router.push('/sign-in')
    notices.say('The account is deleted, with everything that it held.')
  }, refusal)
</script>

<template>
  <div class="flex min-h-full flex-col">
    <PageHead :trail="[{ text: 'Sittings', to: '/' }, { text: 'Account' }]" />
    <main class="mx-auto w-full max-w-[560px] space-y-10 p-8">
      <form aria-label="Another password" @submit.prevent="change">
        <h1 class="mb-4 font-read text-2xl">Another password</h1>
        <input type="hidden" autocomplete="username" :value="session.email" />
        <label class="mb-3 block">
          The password now
          <input
            v-model="old"
            class="field mt-1 block w-full"
            type="password"
            autocomplete="current-password"
            required
          />
        </label>
        <label class="mb-3 block">
          The new one, at least ten characters
          <input
            v-model="next"
            class="field mt-1 block w-full"
            type="password"
            autocomplete="new-password"
            minlength="10"
            required
          />
        </label>
        <p v-if="problem" class="mb-3 border-l-2 border-care pl-2" role="alert">{{ problem }}</p>
        <button class="button button-main" type="submit" :disabled="busy">Change the password</button>
      </form>
      <form aria-label="Delete the account" class="border-t border-line pt-8" @submit.prevent="takeAway">
        <h2 class="mb-2 font-read text-xl">Delete the account</h2>
        <p class="mb-4 text-quiet">
          Everything goes with it, at once and for good: sittings, originals, sheets with their history, and
          files. Export first what you want to keep.
        </p>
        <label class="mb-3 block">
          Your password, to be sure
          <input
            v-model="last"
            class="field mt-1 block w-full"
            type="password"
            autocomplete="current-password"
            required
          />
        </label>
        <p v-if="refusal" class="mb-3 border-l-2 border-care pl-2" role="alert">{{ refusal }}</p>
        <button class="button" type="submit" :disabled="busy || !last">Delete it with everything</button>
      </form>
    </main>
  </div>
</template>
