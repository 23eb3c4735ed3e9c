/** What a person chose to measure by, and the question the server is asked. What is not chosen is as the server has it. */
import type { Schemas } from '$lib/api'
import { preferences } from '$lib/preferences.svelte'

export type Choice = Partial<Omit<Schemas['StudyIn'], 'text' | 'rule_id' | 'as_of'>>

export function question(
  text: string,
  rule: number,
  asOf: string | null,
  choice: Choice,
): Schemas['StudyIn'] {
  // The schema calls what has a default required, which it is in answers only.
  const cost = choice.cost ?? preferences.now.account?.cost
  return {
    ...choice,
    ...(cost === undefined ? {} : { cost }),
    text,
    rule_id: rule,
    as_of: asOf,
  } as Schemas['StudyIn']
}
