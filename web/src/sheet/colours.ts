/** A colour stop of a wash. */
export interface Stop {
  at: number
  colour: string
}

/** A typed colour as #rrggbb: with or without its sign, in three or six digits; null if it is none. */
export function readHex(text: string): string | null {
  const digits = /^#?([0-9a-f]{3}|[0-9a-f]{6})$/i.exec(text.trim())?.[1]?.toLowerCase()
  if (!digits) return null
  return `#${digits.length === 3 ? digits.replace(/./g, '$&$&') : digits}`
}

/** The stops as a CSS gradient, mixed in linear light as the server mixes them. */
export function cssGradient(stops: Stop[], backwards: boolean): string {
  const way = [...stops].sort((a, b) => a.at - b.at)
  const listed = way.map((s) => `${s.colour} ${(100 * (backwards ? 1 - s.at : s.at)).toFixed(1)}%`)
  if (backwards) listed.reverse()
  return `linear-gradient(in srgb-linear to right, ${listed.join(', ')}${listed.length < 2 ? `, ${way[0]!.colour}` : ''})`
}

/** The stops with one more at `at`, of the colour half way between its neighbours' sRGB values. */
export function withStop(stops: Stop[], at: number): Stop[] {
  const way = [...stops].sort((a, b) => a.at - b.at)
  const before = way.filter((s) => s.at <= at).pop() ?? way[0]!
  const after = way.find((s) => s.at > at) ?? way[way.length - 1]!
  const share = after.at > before.at ? (at - before.at) / (after.at - before.at) : 0
  const channels = [1, 3, 5].map((i) => {
    const [a, b] = [before, after].map((s) => parseInt(s.colour.slice(i, i + 2), 16)) as [number, number]
    return Math.round(a + (b - a) * share)
      .toString(16)
      .padStart(2, '0')
  })
  return [...stops, { at: Number(at.toFixed(3)), colour: `#${channels.join('')}` }]
}

/** Ground for a hue slider or strip: the hues of OKLCh at one lightness. */
export function hueStrip(lightness = 0.72, chroma = 0.12): string {
  const stops = Array.from({ length: 25 }, (_, i) => `oklch(${lightness} ${chroma} ${i * 15})`)
  return `linear-gradient(to right, ${stops.join(', ')})`
}
