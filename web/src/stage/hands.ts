/** What the workroom's keys and buttons can do with the stage. */
export interface StageHands {
  fit: () => void
  zoomTo: (percent: number) => void
  step: (by: number) => void
  pan: (dx: number, dy: number) => void
  /** A cheek at full size with before and after side by side, and back to where one was. */
  cheek: () => void
  /** The open area fills the stage, and back to where one was. */
  closer: () => void
  next: (what: 'face' | 'eye') => void
  /** Let go of what the pointer holds; whether it held anything. */
  cancelStroke: () => boolean
  holdSpace: (held: boolean) => void
  holdSize: (held: boolean) => void
  /** Close the outline that is being drawn; whether there was one. */
  closeOutline: () => boolean
  changeSize: (by: number) => void
}
