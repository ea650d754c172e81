import { mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import NumberField from './NumberField.vue'

beforeEach(() => vi.useFakeTimers())
afterEach(() => vi.useRealTimers())

function field(modelValue = 0.5) {
  const wrapper = mount(NumberField, {
    props: { modelValue, label: 'exposure', low: -6, high: 6, soft: 3, step: 0.05, unit: 'EV', neutral: 0 },
  })
  const [slider, text] = [wrapper.findAll('input')[0]!, wrapper.findAll('input')[1]!]
  const told = (name: 'attempt' | 'change') => (wrapper.emitted(name) ?? []).map((e) => (e as number[])[0])
  return { wrapper, slider, text, told }
}

describe('a number', () => {
  it('is shown with sign and unit, on the slider and in words', () => {
    const { slider, text } = field(-0.5)
    expect((text.element as HTMLInputElement).value).toBe('−0.50 EV')
    expect(slider.attributes('aria-valuetext')).toBe('−0.50 EV')
  })

  it('is typed with a comma, held to its limits, and kept on Enter', async () => {
    const { text, told } = field()
    await text.setValue('1,25')
    await text.trigger('keydown', { key: 'Enter' })
    expect(told('change')).toEqual([1.25])
    await text.setValue('99')
    await text.trigger('blur')
    expect(told('change')).toEqual([1.25, 6])
  })

  it('stays when what was typed is no number, or is let go with Escape', async () => {
    const { text, told } = field()
    await text.setValue('much')
    await text.trigger('keydown', { key: 'Enter' })
    await text.setValue('2')
    await text.trigger('keydown', { key: 'Escape' })
    await text.trigger('blur')
    expect(told('change')).toEqual([])
    expect((text.element as HTMLInputElement).value).toBe('+0.50 EV')
  })

  it('goes by one step with an arrow, by ten with Shift, and is kept once it rests', async () => {
    const { slider, told } = field()
    await slider.trigger('keydown', { key: 'ArrowRight' })
    await slider.trigger('keydown', { key: 'ArrowDown', shiftKey: true })
    expect(told('attempt')).toEqual([0.55, 0.05])
    expect(told('change')).toEqual([])
    vi.advanceTimersByTime(600)
    expect(told('change')).toEqual([0.05])
  })

  it('is one change however long the slider is held', async () => {
    const { slider, told } = field()
    const drawn = (to: string) => {
      ;(slider.element as HTMLInputElement).value = to
      return slider.trigger('input')
    }
    await slider.trigger('pointerdown')
    await drawn('1')
    vi.advanceTimersByTime(2000)
    expect(told('change')).toEqual([])
    await drawn('1.5')
    window.dispatchEvent(new Event('pointerup'))
    expect(told('change')).toEqual([1.5])
    await slider.trigger('keydown', { key: 'ArrowRight' })
    vi.advanceTimersByTime(600)
    expect(told('change')).toHaveLength(2)
  })

  it.each(['Delete', 'Backspace'])('goes back to neutral with %s', async (key) => {
    const { slider, told } = field()
    await slider.trigger('keydown', { key })
    expect(told('change')).toEqual([0])
  })

  it('goes back to neutral on a double click', async () => {
    const { slider, told } = field()
    await slider.trigger('dblclick')
    expect(told('change')).toEqual([0])
  })

  it('is tried while the slider moves and kept once when it is let go', async () => {
    const { slider, told } = field()
    for (const value of ['0.6', '0.7', '0.8']) {
      ;(slider.element as HTMLInputElement).value = value
      await slider.trigger('input')
    }
    await slider.trigger('change')
    vi.advanceTimersByTime(600)
    expect(told('attempt')).toEqual([0.6, 0.7, 0.8])
    expect(told('change')).toEqual([0.8])
  })
})
