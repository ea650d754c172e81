import { describe, expect, it } from 'vitest'
import { curveWords, spline, type Points } from './curve'

describe('spline', () => {
  it('goes through its points and is straight through a straight line', () => {
    const points: Points = [
      [0, 0.1],
      [0.3, 0.2],
      [0.5, 0.7],
      [1, 0.9],
    ]
    const at = spline(points)
    for (const [x, y] of points) expect(at(x)).toBeCloseTo(y, 12)
    const line = spline([
      [0, 0],
      [0.4, 0.4],
      [1, 1],
    ])
    expect(line(0.77)).toBeCloseTo(0.77, 12)
  })

  it('agrees with scipy.interpolate.PchipInterpolator', () => {
    const at = spline([
      [0, 0],
      [0.25, 0.4],
      [0.6, 0.65],
      [1, 1],
    ])
    // PchipInterpolator([0, .25, .6, 1], [0, .4, .65, 1])([.1, .4, .5, .9])
    const expected = [0.187467, 0.518995, 0.580993, 0.905986]
    ;[0.1, 0.4, 0.5, 0.9].forEach((x, i) => expect(at(x)).toBeCloseTo(expected[i]!, 5))
  })

  it('never falls between points that do not fall', () => {
    const at = spline([
      [0, 0],
      [0.5, 0.5],
      [0.52, 0.95],
      [1, 1],
    ])
    for (let x = 0; x < 1; x += 0.01) expect(at(x + 0.01)).toBeGreaterThanOrEqual(at(x) - 1e-12)
  })
})

describe('curveWords', () => {
  it.each<[Points, string]>([
    [
      [
        [0, 0],
        [1, 1],
      ],
      'as they are',
    ],
    [
      [
        [0, 0],
        [0.3, 0.2],
        [0.7, 0.8],
        [1, 1],
      ],
      'more contrast',
    ],
    [
      [
        [0, 0],
        [0.3, 0.4],
        [0.7, 0.7],
        [1, 1],
      ],
      'lighter shadows',
    ],
    [
      [
        [0, 0],
        [0.3, 0.3],
        [0.7, 0.6],
        [1, 0.9],
      ],
      'calmer highlights',
    ],
    [
      [
        [0, 0.08],
        [0.3, 0.3],
        [0.7, 0.7],
        [1, 1],
      ],
      'black lifted',
    ],
  ])('says what %j does', (points, words) => {
    expect(curveWords(points)).toBe(words)
  })
})
