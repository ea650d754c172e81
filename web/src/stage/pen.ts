/** The buttons of a pen, as browsers number them: its other end, and the one at its side. */
export const [ERASER, BARREL] = [5, 2]
