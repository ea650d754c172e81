import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import type { Points } from '../sheet/curve'
import CurveField from './CurveField.vue'

const START: Points = [
  [0, 0],
  [0.5, 0.6],
  [1, 1],
]

function curve(points = START) {
  const wrapper = mount(CurveField, { props: { modelValue: points, label: 'curve' } })
  const plot = wrapper.find('svg')
  const last = () => (wrapper.emitted('change') as Points[][] | undefined)?.at(-1)?.[0]
  return { wrapper, plot, last }
}

describe('a curve by keys', () => {
  it('moves the chosen point by steps, between its neighbours', async () => {
    const { plot, last } = curve()
    await plot.trigger('keydown', { key: 'n' })
    await plot.trigger('keydown', { key: 'n' })
    await plot.trigger('keydown', { key: 'ArrowUp' })
    expect(last()).toEqual([
      [0, 0],
      [0.5, 0.61],
      [1, 1],
    ])
    await plot.trigger('keydown', { key: 'ArrowUp', shiftKey: true })
    expect(last()![1]).toEqual([0.5, 0.7])
  })

  it('never lets a point fall below the one before it or pass its neighbour', async () => {
    const { plot, last } = curve([
      [0, 0.3],
      [0.03, 0.31],
      [1, 1],
    ])
    await plot.trigger('keydown', { key: 'n' })
    await plot.trigger('keydown', { key: 'n' })
    await plot.trigger('keydown', { key: 'ArrowDown', shiftKey: true })
    expect(last()![1]).toEqual([0.03, 0.3])
    await plot.trigger('keydown', { key: 'ArrowLeft', shiftKey: true })
    expect(last()![1]![0]).toBeCloseTo(0.02)
  })

  it('removes a point, but never the last two', async () => {
    const { plot, last, wrapper } = curve()
    await plot.trigger('keydown', { key: 'n' })
    await plot.trigger('keydown', { key: 'n' })
    await plot.trigger('keydown', { key: 'Delete' })
    expect(last()).toEqual([
      [0, 0],
      [1, 1],
    ])
    await wrapper.setProps({ modelValue: last()! })
    await plot.trigger('keydown', { key: 'n' })
    await plot.trigger('keydown', { key: 'Delete' })
    expect(wrapper.emitted('change')).toHaveLength(1)
  })

  it('is straightened by its button', async () => {
    const { wrapper, last } = curve()
    await wrapper.find('button').trigger('click')
    expect(last()).toEqual([
      [0, 0],
      [1, 1],
    ])
  })
})
