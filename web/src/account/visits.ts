const BROWSERS: [RegExp, string][] = [
  [/Edg\//, 'Edge'],
  [/OPR\//, 'Opera'],
  [/Firefox\//, 'Firefox'],
  [/Chrom(e|ium)\//, 'Chrome'],
  [/Safari\//, 'Safari'],
]
const SYSTEMS: [RegExp, string][] = [
  [/Android/, 'Android'],
  [/iPhone|iPad/, 'iOS'],
  [/Windows/, 'Windows'],
  [/Mac OS/, 'macOS'],
  [/Linux|X11/, 'Linux'],
]
const first = (names: [RegExp, string][], said: string) => names.find(([sign]) => sign.test(said))?.[1]

/** What a browser says of itself, in two words. */
export function browserName(said: string): string {
  const [browser, system] = [first(BROWSERS, said), first(SYSTEMS, said)]
  if (!browser) return said ? 'another program' : 'a browser'
  return system ? `${browser} on ${system}` : browser
}
