<script lang="ts">
  /** How to measure: entry, repeats, costs, among whom. */
  import { COST } from '$lib/constants'
  import NumberField from '$lib/NumberField.svelte'
  import { preferences } from '$lib/preferences.svelte'
  import type { Choice } from './question'

  let { choice = $bindable() }: { choice: Choice } = $props()

  const percent = (fraction: number) => Number((fraction * 100).toFixed(6))
  const fraction = (value: number) => Number((value / 100).toFixed(8))
</script>

<label
  >enter at <select
    class="inline-pick text-ink"
    value={choice.entry ?? 'next-open'}
    onchange={(event) => (choice.entry = event.currentTarget.value as Choice['entry'])}
  >
    <option value="next-open">the next open</option>
    <option value="signal-close">the signal’s close (optimistic)</option>
  </select></label
>
<label
  >count <select
    class="inline-pick text-ink"
    value={choice.repeats ?? 'fresh'}
    onchange={(event) => (choice.repeats = event.currentTarget.value as Choice['repeats'])}
  >
    <option value="fresh">new hits</option>
    <option value="every">every hit</option>
    <option value="apart">hits that do not overlap</option>
  </select></label
>
<label title="A fraction a side, at entry and exit"
  >cost <NumberField
    class="inline-pick num w-10 text-ink"
    label="cost"
    min={0}
    max={10}
    step={0.05}
    live
    value={percent(choice.cost ?? preferences.now.account?.cost ?? COST)}
    onvalue={(value) => (choice.cost = fraction(value ?? 0))}
  />%</label
>
<label title="What a fill is worse than the price, a side"
  >+ slip <NumberField
    class="inline-pick num w-10 text-ink"
    label="+ slip"
    min={0}
    max={10}
    step={0.05}
    live
    value={percent(choice.slippage ?? 0)}
    onvalue={(value) => (choice.slippage = fraction(value ?? 0))}
  />%</label
>
<label
  >among <select
    class="inline-pick text-ink"
    aria-label="Among whom"
    value={choice.survivors ? 'today' : 'then'}
    onchange={(event) => (choice.survivors = event.currentTarget.value === 'today')}
  >
    <option value="then">members of that day</option>
    <option value="today">today’s members (biased)</option>
  </select></label
>
