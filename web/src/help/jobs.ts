import jobs from './jobs.json'

/** One thing to do: in words; what is typed, pressed or clicked for it stands beside, so that a test can walk it. */
export interface HelpStep {
  say: string
  wish?: string
  key?: string
  click?: string
}
/** A job that a portrait photographer has, and how it is done here. */
export interface HelpJob {
  job: string
  on: string
  steps: HelpStep[]
}
export const JOBS: HelpJob[] = jobs
