<script lang="ts">
  /** The dials that are turned, with their ranges. */
  import type { Ranges } from './ranges.svelte'
  import NumberField from '$lib/NumberField.svelte'

  const { ranges }: { ranges: Ranges } = $props()
</script>

{#each ranges.turns as turn, i (i)}
  <span class="flex items-baseline gap-2">
    {i ? 'and' : 'Vary'}
    <select
      class="inline-pick font-mono text-ink"
      aria-label={i ? 'Second dial' : 'Dial'}
      value={turn.name}
      onchange={(event) => ranges.choose(i, event.currentTarget.value)}
    >
      {#each ranges.known.filter((d) => d.name === turn.name || !ranges.turns.some((t) => t.name === d.name)) as d (d.name)}<option
          >{d.name}</option
        >{/each}
    </select>
    {#each [['from', 'low'], ['to', 'high'], ['by', 'step']] as const as [word, key] (key)}
      <label
        >{word}
        <NumberField
          class="field num w-[68px] py-0"
          label={word}
          value={turn[key]}
          onvalue={(value) => value !== null && (turn[key] = value)}
        /></label
      >
    {/each}
    {#if i}<button class="link" onclick={() => ranges.one()}>one only</button>{/if}
  </span>
{/each}
{#if ranges.turns.length === 1 && ranges.known.length > 1}
  <button class="link underline underline-offset-3" onclick={() => ranges.add()}>and a second</button>
{/if}
