import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, it } from 'vitest'
import { nextTick, ref } from 'vue'
import { Problem } from '../api/client'
import { STILL_SEARCHING, useNotices } from './notices'

beforeEach(() => setActivePinia(createPinia()))

it('takes a message back once it is no longer true', async () => {
  const searching = ref(true)
  const notices = useNotices()
  notices.complain(new Problem('Faces are still being looked for.', STILL_SEARCHING), () => searching.value)
  notices.complain(new Problem('This area is no longer there.', 422), () => searching.value)
  await nextTick()
  expect(notices.list).toHaveLength(2)
  searching.value = false
  await nextTick()
  expect(notices.list.map((n) => n.text)).toEqual(['This area is no longer there.'])
})

it('says the same once, whatever its number in the log', () => {
  const notices = useNotices()
  notices.say('Something went wrong (no. a1).', 'care')
  notices.say('Something went wrong (no. b2).', 'care')
  expect(notices.list).toHaveLength(1)
})
