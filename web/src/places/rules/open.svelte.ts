/** A rule that is open. */
import { api, type RuleDetail } from '$lib/api'
import { OpenText, type Kind } from '$lib/open/open.svelte'
import { ask } from '$lib/queries'
import { join, lifted, offsetOf, split, type Header } from '$lib/rule/headers'

const RULE: Kind<RuleDetail, Header> = {
  what: 'rule',
  address: '/rules',
  list: 'rules',
  one: ask.rule,
  save: api.save,
  create: api.create,
  rename: (id, name) => api.change(id, { name }),
  split,
  join,
  lifted,
  offsetOf,
}

export class OpenRule extends OpenText<RuleDetail, Header> {
  constructor(id: number) {
    super(id, RULE)
  }
}
