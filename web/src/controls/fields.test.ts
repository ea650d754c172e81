import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import type { Ramp } from '../sheet/ramp'
import LevelsField from './LevelsField.vue'
import LimitField from './LimitField.vue'
import WashField, { type Wash } from './WashField.vue'

/** Give an element a size, and take its pointer. */
function placed(element: Element, width = 100, height = 50) {
  element.getBoundingClientRect = () => ({ left: 0, top: 0, width, height }) as DOMRect
  element.setPointerCapture = () => {}
  return element
}

describe('the tone limit', () => {
  const ramp: Ramp = [0, 0, 0.4, 0.6]
  it('is dragged by a corner, tried on the way and kept once', async () => {
    const field = mount(LimitField, { props: { modelValue: ramp, bins: [] } })
    const plot = field.find('[data-ramp]')
    placed(plot.element)
    await field.find('[data-corner="3"]').trigger('pointerdown', { button: 0, clientX: 60 })
    await plot.trigger('pointermove', { clientX: 70 })
    await plot.trigger('pointermove', { clientX: 80 })
    expect(field.emitted('attempt')!.at(-1)).toEqual([[0, 0, 0.4, 0.8]])
    expect(field.emitted('change')).toBeUndefined()
    await plot.trigger('pointerup')
    expect(field.emitted('change')).toEqual([[[0, 0, 0.4, 0.8]]])
  })
  it('is moved by keys, ten steps with shift', async () => {
    const field = mount(LimitField, { props: { modelValue: ramp, bins: [] } })
    await field.find('[data-corner="2"]').trigger('keydown', { key: 'ArrowLeft', shiftKey: true })
    expect(field.emitted('change')).toEqual([[[0, 0, 0.3, 0.6]]])
  })
})

describe('the ends of the levels', () => {
  const ends = { black: 0.1, middle: 1, white: 0.9 }
  async function dragged(mark: string, to: number) {
    const field = mount(LevelsField, { props: { modelValue: ends, bins: [], gap: 0.02 } })
    placed(field.element)
    await field.find(`[data-mark=${mark}]`).trigger('pointerdown', { button: 0 })
    await field.trigger('pointermove', { clientX: to })
    await field.trigger('pointerup')
    return field.emitted('change')![0]![0]
  }
  it('keep their distance', async () => {
    expect(await dragged('black', 95)).toEqual({ black: 0.88 })
    expect(await dragged('white', 2)).toEqual({ white: 0.12 })
  })
  it('and the middle says which value comes out half way', async () => {
    expect(await dragged('middle', 50)).toEqual({ middle: 1 })
    expect(await dragged('middle', 30)).toEqual({ middle: 2 })
  })
})

describe('a wash', () => {
  const wash: Wash = {
    of: 'colour',
    stops: [{ at: 0.3, colour: '#112233' }],
    shape: 'linear',
    backwards: false,
  }
  const words = { picture: 'the picture itself', colour: 'a colour', gradient: 'a gradient' }
  const open = (value: Wash, entry = 0) =>
    mount(WashField, { props: { modelValue: value, words, tints: [['light', '#e8bfa4']], entry } })
  it('gets a second colour when it becomes a gradient', async () => {
    const field = open(wash)
    await field
      .findAll('button')
      .find((b) => b.text() === 'a gradient')!
      .trigger('click')
    const changes = field.emitted('change')![0]![0] as Partial<Wash>
    expect(changes.of).toBe('gradient')
    expect(changes.stops!.map((s) => s.at)).toEqual([0, 1])
  })
  it('takes a typed colour, and says what it does not understand', async () => {
    const field = open(wash)
    const hex = field.find('[aria-label="Colour, as #rrggbb"]')
    await hex.setValue('nothing')
    await hex.trigger('blur')
    expect(field.find('[role=alert]').text()).toContain('six digits')
    expect(field.emitted('change')).toBeUndefined()
    await hex.setValue('c8a080')
    await hex.trigger('blur')
    expect(field.emitted('change')).toEqual([[{ stops: [{ at: 0.3, colour: '#c8a080' }] }]])
  })
  it('keeps two colours in a gradient', async () => {
    const two = [{ at: 0, colour: '#000000' }, { at: 1, colour: '#ffffff' }] // prettier-ignore
    const field = open({ ...wash, of: 'gradient', stops: two }, 1)
    const remove = field.findAll('button').find((b) => b.text() === 'remove')!
    expect(remove.attributes('disabled')).toBeDefined()
    await field.find('[aria-label="light skin"]').trigger('click')
    expect(field.emitted('change')![0]![0]).toEqual({ stops: [two[0], { at: 1, colour: '#e8bfa4' }] })
  })
})
