/** One shape: the rectangle of a grid that moves anything, and what of it moves; lengths in long sides. */
export interface BentLayer {
  width: number
  height: number
  x: number
  y: number
  w: number
  h: number
  /** w × h × 2: what is added to x and y. */
  moves: Float32Array
  /** What moves over its surroundings, 0…255; null: everything. */
  covered: Uint8Array | null
}
type Place = readonly [number, number]

const STEPS = 25
const FARTHEST = 0.01
const NEAR = 1e-6
const LEAST = 0.1
const SHOWN = 127.5

/** What the server tells of a sheet's shapes. */
export function readBent(heads: number[][], body: ArrayBuffer): BentLayer[] {
  let at = 0
  return heads.map(([width, height, x, y, w, h, covered]) => {
    const moves = new Float32Array(body.slice(at, (at += 8 * w! * h!)))
    const cover = covered ? new Uint8Array(body.slice(at, (at += w! * h!))) : null
    return { width: width!, height: height!, x: x!, y: y!, w: w!, h: h!, moves, covered: cover }
  })
}

/** Catmull and Rom's cubic between the second and the third of four values. */
const taps = (t: number): [number, number, number, number] => [
  (((2 - t) * t - 1) * t) / 2,
  ((3 * t - 5) * t * t + 2) / 2,
  (((4 - 3 * t) * t + 1) * t) / 2,
  ((t - 1) * t * t) / 2,
]

function moveAt(layer: BentLayer, [x, y]: Place): [number, number] {
  const unit = Math.max(layer.width, layer.height)
  const [column, row] = [x * unit - 0.5, y * unit - 0.5]
  const [j, i] = [Math.floor(column), Math.floor(row)]
  const far = (n: number, from: number, size: number) => n < from - 2 || n > from + size + 1
  if (far(j, layer.x, layer.w) || far(i, layer.y, layer.h)) return [0, 0]
  const [across, down] = [taps(column - j), taps(row - i)]
  let [dx, dy] = [0, 0]
  for (let k = 0; k < 4; k++) {
    const r = Math.min(layer.height - 1, Math.max(0, i - 1 + k)) - layer.y
    if (r < 0 || r >= layer.h) continue
    for (let m = 0; m < 4; m++) {
      const c = Math.min(layer.width - 1, Math.max(0, j - 1 + m)) - layer.x
      if (c < 0 || c >= layer.w) continue
      const share = down[k]! * across[m]!
      const at = 2 * (r * layer.w + c)
      dx += share * layer.moves[at]!
      dy += share * layer.moves[at + 1]!
    }
  }
  return [dx, dy]
}
/** Whether a place of the original belongs to what a layer moves. */
function isThing(layer: BentLayer, [x, y]: Place): boolean {
  if (!layer.covered) return true
  const unit = Math.max(layer.width, layer.height)
  const [c, r] = [Math.floor(x * unit) - layer.x, Math.floor(y * unit) - layer.y]
  return c >= 0 && r >= 0 && c < layer.w && r < layer.h && layer.covered[r * layer.w + c]! > SHOWN
}

/** Where in the upright original lies what is seen at a place of the finished picture. */
export function back(layers: BentLayer[], place: Place): Place {
  let at = place
  for (let n = layers.length - 1; n >= 0; n--) {
    const [dx, dy] = moveAt(layers[n]!, at)
    const from: Place = [at[0] + dx, at[1] + dy]
    if (isThing(layers[n]!, back(layers.slice(0, n), from))) at = from
  }
  return at
}

/** Where a place of the upright original is seen on the finished picture: by Newton's method. */
export function forth(layers: BentLayer[], place: Place): Place {
  return layers.reduce<Place>((at, layer) => (isThing(layer, place) ? found(layer, at) : at), place)
}
function found(layer: BentLayer, [x, y]: Place): Place {
  let [tx, ty] = [x, y]
  for (let n = 0; n < STEPS; n++) {
    const [dx, dy] = moveAt(layer, [tx, ty])
    const [ox, oy] = [x - tx - dx, y - ty - dy]
    if (Math.hypot(ox, oy) < 1e-9) break
    const [ax, ay] = moveAt(layer, [tx + NEAR, ty])
    const [bx, by] = moveAt(layer, [tx, ty + NEAR])
    const [xx, yx, xy, yy] = [1 + (ax - dx) / NEAR, (ay - dy) / NEAR, (bx - dx) / NEAR, 1 + (by - dy) / NEAR]
    const det = Math.max(LEAST, xx * yy - xy * yx)
    const [sx, sy] = [(yy * ox - xy * oy) / det, (xx * oy - yx * ox) / det]
    const share = Math.min(1, FARTHEST / Math.max(1e-12, Math.hypot(sx, sy)))
    tx += share * sx
    ty += share * sy
  }
  return [tx, ty]
}
