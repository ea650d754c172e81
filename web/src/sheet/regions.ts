type Place = readonly [number, number]

/** The regions of a picture at two levels, and the silhouette of one. */
export class Regions {
  constructor(
    readonly width: number,
    readonly height: number,
    private readonly pixels: Uint8ClampedArray,
  ) {}

  static async read(blob: Blob): Promise<Regions> {
    const bitmap = await createImageBitmap(blob, { colorSpaceConversion: 'none', premultiplyAlpha: 'none' })
    const context = new OffscreenCanvas(bitmap.width, bitmap.height).getContext('2d')!
    context.drawImage(bitmap, 0, 0)
    const { data } = context.getImageData(0, 0, bitmap.width, bitmap.height)
    return new Regions(bitmap.width, bitmap.height, data)
  }

  private number(at: number, whole: boolean): number {
    return whole ? this.pixels[at + 2]! : this.pixels[at]! + 256 * this.pixels[at + 1]!
  }

  /** The region at a place in long sides; null outside the picture. */
  at(x: number, y: number, whole: boolean): number | null {
    const unit = Math.max(this.width, this.height)
    const [column, row] = [Math.floor(x * unit), Math.floor(y * unit)]
    if (column < 0 || row < 0 || column >= this.width || row >= this.height) return null
    return this.number(4 * (row * this.width + column), whole)
  }

  /**
   * How opaque each pixel of a region's silhouette is, 0 or 255; with `on`, of another picture of `width` × `height`
   * pixels, `unit` to a long side, that shows at a place what lies where `back` leads.
   */
  silhouette(
    region: number,
    whole: boolean,
    on?: { width: number; height: number; unit: number; back: (place: Place) => Place },
  ): Uint8ClampedArray {
    const { width, height } = on ?? this
    const alpha = new Uint8ClampedArray(width * height)
    for (let i = 0; i < alpha.length; i++) {
      const place: Place = on
        ? [((i % width) + 0.5) / on.unit, (Math.floor(i / width) + 0.5) / on.unit]
        : [0, 0]
      const own = on ? this.at(...on.back(place), whole) : this.number(4 * i, whole)
      if (own === region) alpha[i] = 255
    }
    return alpha
  }
}
