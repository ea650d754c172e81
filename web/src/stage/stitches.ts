import type { Painted } from '../sheet/types'
import type { Thread } from '../stores/room'
import { type Box, joined } from './geometry'

/** Cells of fine cross-stitches; `dense` ones stand between the others, where coverage is high. */
export function stitchPattern(
  context: CanvasRenderingContext2D,
  ratio: number,
  dense: boolean,
  thread: Thread,
): CanvasPattern {
  const size = Math.round(thread.cell * ratio)
  const tile = new OffscreenCanvas(size, size)
  const pen = tile.getContext('2d')!
  pen.lineCap = 'round'
  const arm = size * (dense ? 0.14 : 0.26)
  const cross = (x: number, y: number) => {
    pen.beginPath()
    pen.moveTo(x - arm, y - arm)
    pen.lineTo(x + arm, y + arm)
    pen.moveTo(x + arm, y - arm)
    pen.lineTo(x - arm, y + arm)
    pen.stroke()
  }
  const at = dense
    ? [0, size].flatMap((x) => [0, size].map((y) => [x, y] as const))
    : [[size / 2, size / 2] as const]
  // A dark thread under the bright one, so that it is seen on every tone.
  for (const [style, width] of [
    ['rgb(0 0 0 / 45%)', 1.9],
    [thread.colour, 1.1],
  ] as const) {
    pen.strokeStyle = style
    pen.lineWidth = width * ratio
    for (const [x, y] of at) cross(x, y)
  }
  return context.createPattern(tile, 'repeat')!
}

/**
 * A stroke as it looks before the server has worked it out: the tip's strongest coverage at every pixel. It stands in
 * for the overlay while the pointer is down; the server's coverage replaces it.
 */
export class StrokeShadow {
  readonly canvas: OffscreenCanvas
  /** Where anything of it has been drawn, in the canvas's pixels. */
  box: Box | null = null
  private readonly context: OffscreenCanvasRenderingContext2D
  private readonly pixels: ImageData
  private drawn = 0

  constructor(
    private readonly stroke: Painted,
    width: number,
    height: number,
    private readonly place: (x: number, y: number) => { x: number; y: number },
    private readonly unit: number,
  ) {
    this.canvas = new OffscreenCanvas(width, height)
    this.context = this.canvas.getContext('2d')!
    this.pixels = this.context.createImageData(width, height)
  }

  /** Draw the points that have come since the last call. */
  grow() {
    const { points, size } = this.stroke
    for (; this.drawn < points.length; this.drawn++) {
      const b = points[this.drawn]!
      const a = points[this.drawn - 1] ?? b
      const count = Math.max(1, Math.ceil(Math.hypot(b[0] - a[0], b[1] - a[1]) / (size * 0.12)))
      for (let k = 1; k <= count; k++) {
        const t = k / count
        this.stamp(a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t, a[2] + (b[2] - a[2]) * t)
      }
    }
  }

  private stamp(px: number, py: number, pressure: number) {
    const { size, softness, flow, ceiling, pressure: presses } = this.stroke
    const { x, y } = this.place(px, py)
    const radius = Math.max(0.5, (size / 2) * this.unit * (presses === 'size' ? pressure : 1))
    const strength = 255 * flow * ceiling * (presses === 'flow' ? pressure : 1)
    const soft = Math.max(1, softness * radius)
    const { width, height, data } = this.pixels
    const [left, top] = [Math.max(0, Math.floor(x - radius)), Math.max(0, Math.floor(y - radius))]
    const [right, bottom] = [Math.min(width, Math.ceil(x + radius)), Math.min(height, Math.ceil(y + radius))]
    if (left >= right || top >= bottom) return
    for (let row = top; row < bottom; row++) {
      for (let column = left; column < right; column++) {
        const f = Math.min(1, (radius - Math.hypot(column + 0.5 - x, row + 0.5 - y)) / soft)
        if (f <= 0) continue
        const at = (row * width + column) * 4 + 3
        data[at] = Math.max(data[at]!, strength * f * f * (3 - 2 * f))
      }
    }
    this.context.putImageData(this.pixels, 0, 0, left, top, right - left, bottom - top)
    this.box = joined([
      ...(this.box ? [this.box] : []),
      { x: left, y: top, w: right - left, h: bottom - top },
    ])
  }
}
