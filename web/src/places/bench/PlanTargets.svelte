<script lang="ts">
  /** The part of the plan's sentence that says where something is taken off, and what the stop follows. */
  import type { PlanIn } from '$lib/desk'
  import NumberField from '$lib/NumberField.svelte'
  import type { Planning } from './planning.svelte'

  const { planning, levels }: { planning: Planning; levels: PlanIn } = $props()
  const targets = $derived(levels.targets ?? [])
  const PARTS = [
    [1, 'all'],
    [0.75, 'three quarters'],
    [0.5, 'half'],
    [1 / 3, 'a third'],
    [0.25, 'a quarter'],
  ] as const
  const near = (part: number) => PARTS.find(([known]) => Math.abs(known - part) < 0.005)
  const MOST = 3
  const follows = $derived(planning.now?.follows ?? [])
  const own = $derived(levels.follow !== '' && !follows.some((one) => one.line === levels.follow))
  let writing = $state(false)
</script>

{#each targets as one, nth (nth)}{nth ? ' and ' : ', '}<select
    class="inline-pick"
    aria-label="How much at target {nth + 1}"
    value={near(one.part)?.[0] ?? one.part}
    onchange={(event) => planning.target(nth, { part: Number(event.currentTarget.value) })}
  >
    {#if !near(one.part)}<option value={one.part}>{Math.round(one.part * 100)}%</option>{/if}
    {#each PARTS as [part, words] (part)}<option value={part}>{words}</option>{/each}
  </select>
  at
  <NumberField
    class="inline-pick num text-left!"
    step={0.01}
    min={0.0001}
    empty
    label={nth ? `Target ${nth + 1}` : 'Target'}
    value={one.price}
    onvalue={(price) => (price === null ? planning.less(nth) : planning.target(nth, { price }))}
  /><button class="link text-[13px]" aria-label="Without target {nth + 1}" onclick={() => planning.less(nth)}
    >×</button
  >{/each}{#if targets.length < MOST}<button
    class="link ml-1 text-[13px]"
    disabled={planning.working}
    onclick={() => planning.more()}>{targets.length ? 'and another' : 'with a target'}</button
  >{/if}; trailing stop:
<select
  class="inline-pick"
  aria-label="Trailing stop"
  value={writing || own ? 'own' : levels.follow}
  onchange={(event) => {
    writing = event.currentTarget.value === 'own'
    if (!writing) planning.change({ follow: event.currentTarget.value })
  }}
>
  <option value="">none</option>
  {#each follows as one (one.line)}<option value={one.line}>{one.words}</option>{/each}
  <option value="own">a line of your own</option>
</select>{#if writing || own}
  <input
    class="inline-pick w-52 font-mono text-[15px]"
    aria-label="The line of the trailing stop"
    placeholder="best - 3 * atr(14)"
    maxlength="200"
    value={levels.follow}
    onchange={(event) => planning.change({ follow: event.currentTarget.value.trim() })}
  />{/if}
