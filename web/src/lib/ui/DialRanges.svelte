<script lang="ts">
  /** The dials that a sweep turns, with their ranges. */
  import NumberField from '$lib/NumberField.svelte'
  import type { DialRanges } from './dial-ranges.svelte'

  const { ranges }: { ranges: DialRanges } = $props()
</script>

{#each ranges.chosen as range, i (i)}
  <span class="flex items-baseline gap-2">
    {i ? 'and' : 'Vary'}
    <select
      class="inline-pick font-mono text-ink"
      aria-label={i ? 'Second dial' : 'Dial'}
      value={range.name}
      onchange={(event) => ranges.choose(i, event.currentTarget.value)}
    >
      {#each ranges.known.filter((d) => d.name === range.name || !ranges.chosen.some((t) => t.name === d.name)) as d (d.name)}<option
          >{d.name}</option
        >{/each}
    </select>
    {#each [['from', 'low'], ['to', 'high'], ['by', 'step']] as const as [word, key] (key)}
      <label
        >{word}
        <NumberField
          class="field num w-[72px] py-0"
          label={word}
          value={range[key]}
          onvalue={(value) => value !== null && (range[key] = value)}
        /></label
      >
    {/each}
    {#if i}<button class="link" onclick={() => ranges.one()}>one only</button>{/if}
  </span>
{/each}
{#if ranges.chosen.length === 1 && ranges.known.length > 1}
  <button class="link underline underline-offset-3" onclick={() => ranges.add()}>and a second</button>
{/if}
