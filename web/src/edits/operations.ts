import type { Operation } from '../api/client'

export type Path = (string | number)[]

export const put = (path: Path, value: unknown): Operation => ({ op: 'put', path, value, gone: false })
