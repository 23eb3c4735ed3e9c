<script lang="ts">
  /** How to measure: entry, repeats, costs, among whom. */
  import type { Choice } from './question'

  let { choice = $bindable() }: { choice: Choice } = $props()
</script>

<label
  >enter at <select class="inline-pick text-ink" bind:value={choice.entry}>
    <option value="next-open">the next open</option>
    <option value="signal-close">the signal’s close (optimistic)</option>
  </select></label
>
<label
  >count <select class="inline-pick text-ink" bind:value={choice.repeats}>
    <option value="fresh">fresh hits</option>
    <option value="every">every hit</option>
    <option value="apart">hits that do not overlap</option>
  </select></label
>
<label title="A fraction a side, at entry and exit"
  >cost <input
    class="inline-pick num w-10 text-ink"
    type="number"
    min="0"
    max="10"
    step="0.05"
    bind:value={choice.costPercent}
  />%</label
>
<label title="What a fill is worse than the price, a side"
  >+ slip <input
    class="inline-pick num w-10 text-ink"
    type="number"
    min="0"
    max="10"
    step="0.05"
    bind:value={choice.slippagePercent}
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
