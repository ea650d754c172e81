import type { Setting } from '../api/client'

/** One window over the hues, as the server keeps it; angles in degrees. */
export interface Band {
  centre: number
  width: number
  soft: number
  hue: number
  saturation: number
  lightness: number
  lean: number
  lean_by: number
}

/** Ready windows: name, centre and width. */
export type Named = [string, number, number][]

export const named = (setting: Setting): Named => (setting.extra.named ?? []) as Named

/** Degrees from one hue to another, −180…180. */
export const between = (from: number, to: number) => ((((to - from) % 360) + 540) % 360) - 180

/** The plain name of a hue. */
export function hueName(hue: number, names: Named): string {
  const plain = names.filter(([name]) => name !== 'skin')
  plain.sort((a, b) => Math.abs(between(hue, a[1])) - Math.abs(between(hue, b[1])))
  return plain[0]?.[0] ?? `${Math.round(hue)}°`
}

/** A band's own name: the ready one that it is, or the hue at its centre. */
export function bandName(band: Band, names: Named): string {
  const same = names.find(([, centre, width]) => centre === band.centre && width === band.width)
  return same?.[0] ?? hueName(band.centre, names)
}

/** A ready band, or one of the given hue, that changes nothing yet. */
export function freshBand(centre: number, width = 40): Band {
  const still = { hue: 0, saturation: 0, lightness: 0, lean: 0, lean_by: 0 }
  return { centre, width, soft: 20, ...still }
}

/** What the bands do, in a few words. */
export function bandsWords(bands: Band[], names: Named): string {
  const said = bands.flatMap((band) => {
    const name = bandName(band, names)
    if (band.saturation) return `${band.saturation < 0 ? 'less' : 'more'} ${name}`
    if (band.lightness) return `${band.lightness < 0 ? 'darker' : 'lighter'} ${name}`
    if (band.lean_by && !band.hue) return `${name} leaning to ${hueName(band.lean, names)}`
    return band.hue ? `another ${name}` : []
  })
  if (!said.length) return bands.length ? 'not yet changed' : 'none yet'
  return said.length > 2 ? `${said.slice(0, 2).join(', ')} and ${said.length - 2} more` : said.join(', ')
}

/** The corners of a band's window on a strip `width` × `height`, once for every turn that shows on it. */
export function windowPaths(band: Band, width: number, height: number): string[] {
  const x = (hue: number) => ((hue / 360) * width).toFixed(1)
  const half = band.width / 2
  return [-360, 0, 360].flatMap((turn) => {
    const c = band.centre + turn
    if (c + half + band.soft < 0 || c - half - band.soft > 360) return []
    return `M${x(c - half - band.soft)} ${height}L${x(c - half)} 0H${x(c + half)}L${x(c + half + band.soft)} ${height}`
  })
}
