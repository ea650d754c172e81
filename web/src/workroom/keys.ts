/** The keys of the workroom, as the sheet of keys shows them. */
export const KEYS: { title: string; keys: [string, string][] }[] = [
  {
    title: 'Looking',
    keys: [
      ['Q, held', 'before, as chosen: the original at first'],
      ['Shift+Q, held', 'before: without the open touch'],
      ['L, held', 'brighter: what the shadows hold'],
      ['D, held', 'darker: what the highlights hold'],
      ['C', 'mark what is clipped'],
      ['U', 'check: unevenness'],
      ['X', 'split: before and after parted across, down'],
      ['A', 'before and after side by side'],
      ['H · Y', 'the next face, the next eye'],
      ['M', 'history, marks and takes'],
      ['F', 'fit'],
      ['5 · 1 · 2', '50, 100, 200 %'],
      ['+ · −', 'zoom in, out'],
      ['Space, held', 'pan while the brush is in hand'],
      ['Arrows', 'pan (with the picture in focus)'],
    ],
  },
  {
    title: 'The area',
    keys: [
      ['S', 'stitches on or off'],
      ['G', 'the mask alone, as grey'],
      ['V', 'the picture only inside, only outside'],
      ['I', 'invert'],
      ['W', 'things: wholes, or their parts'],
    ],
  },
  {
    title: 'Numbers',
    keys: [
      ['Arrows', 'one step, with Shift ten'],
      ['Delete', 'back to neutral, as a double click'],
    ],
  },
  {
    title: 'The sheet',
    keys: [
      ['/', 'start a touch'],
      ['J · K', 'open the next, the previous touch'],
      ['O', 'open touch on or off'],
      ['P', 'point at the picture with it'],
      ['Alt+↑ · Alt+↓', 'move it earlier, later'],
      ['Ctrl+D', 'duplicate it'],
      ['Delete', 'delete it'],
      ['Ctrl+Z', 'undo'],
      ['Ctrl+Shift+Z', 'redo'],
      ['Ctrl+click', 'pick several, to keep together, copy, switch'],
      ['Esc', 'let go: stroke, pointing, brush, area, touch, check'],
    ],
  },
  {
    title: 'The brush',
    keys: [
      ['B', 'take the brush, put it down'],
      ['[ · ]', 'smaller, larger'],
      ['{ · }', 'harder, softer'],
      ['R, held', 'size by moving sideways'],
      ['T', 'take away instead'],
      ['E', 'keep to edges'],
      ['Alt, held', 'the other of both'],
      ['Shift+click', 'straight line from the last stroke'],
    ],
  },
]
