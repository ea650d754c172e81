/** How often values occur, as an outline on a field `width` × `height`; square roots, so that rare tones show. */
export function histogramPath(bins: number[], width: number, height: number): string {
  if (!bins.length) return ''
  const step = width / bins.length
  const tops = bins.map((share, i) => {
    const y = (height * (1 - Math.sqrt(share))).toFixed(1)
    return `L${(i * step).toFixed(1)} ${y}H${((i + 1) * step).toFixed(1)}`
  })
  return `M0 ${height}${tops.join('')}V${height}Z`
}
