<script lang="ts">
  /** Lines that narrow a universe, put into the rule where anyone can read them. */
  import { Popover } from 'bits-ui'
  import { api } from '$lib/api'
  import { short } from '$lib/format'
  import NumberField from '$lib/NumberField.svelte'
  import { written } from '$lib/rule/headers'
  import { choose, preferences } from '$lib/preferences.svelte'

  interface Props {
    body: string
    oninsert: (lines: string[]) => void
  }
  const { body, oninsert }: Props = $props()
  const size = $derived(preferences.now.account?.size ?? null)
  let slots = $state(10)
  let share = $state(0.5)

  let found = $state.raw<{ position: number; floor: number } | null>(null)

  $effect(() => {
    if (!size || !(slots >= 1) || !(share > 0)) {
      found = null
      return
    }
    let current = true
    api
      .liquidity(size, slots, share)
      .then((answer) => {
        if (current) found = answer
      })
      .catch(() => {
        if (current) found = null
      })
    return () => (current = false)
  })

  const lines = $derived([
    ['No funds, no indices', 'kind == "share"'],
    ['Optionable only', 'optionable == 1'],
    ['With weekly options', 'weekly_options == 1'],
    ['Listed for a year', 'listed_days > 365'],
    ['Priced above 5', 'close > 5'],
  ] as const)
  /** Whether a line of the rule bounds the same thing by a number or a text of its own. */
  const has = (line: string) =>
    new RegExp(`^\\s*${line.split(/ [=><]/)[0]!}\\s*[=<>]+\\s*["\\d]`, 'm').test(body)
</script>

<Popover.Root>
  <Popover.Trigger class="link underline decoration-hair underline-offset-3">basic filters</Popover.Trigger>
  <Popover.Portal>
    <Popover.Content align="start" sideOffset={4} class="pop w-[340px]">
      <p class="text-ink3">Each puts a line into the rule.</p>
      {#each lines as [label, line], i (i)}
        <button
          class="flex justify-between text-left hover:underline disabled:text-ink3 disabled:no-underline"
          disabled={has(line)}
          onclick={() => oninsert([line])}
          >{label}
          <code class="font-mono text-[12px] text-ink2">{has(line) ? 'there already' : line}</code></button
        >
      {/each}
      <div class="flex flex-col gap-1.5 border-t border-hair pt-2">
        <label class="flex items-center justify-between gap-3"
          >Size of my account
          <NumberField
            class="field num w-32 py-0.5"
            label="Size of my account"
            min={1}
            step={1000}
            empty
            value={size}
            placeholder="50000"
            onvalue={(value) => choose({ account: { ...preferences.now.account, size: value } })}
          /></label
        >
        <label class="flex items-center justify-between gap-3"
          >held in positions
          <NumberField
            class="field num w-32 py-0.5"
            label="held in positions"
            min={1}
            max={100}
            live
            value={slots}
            onvalue={(value) => (slots = Math.round(value ?? 10))}
          /></label
        >
        <label class="flex items-center justify-between gap-3"
          >a position is at most, % of a day’s money
          <NumberField
            class="field num w-20 py-0.5"
            label="a position is at most, % of a day’s money"
            min={0.01}
            step={0.1}
            live
            value={share}
            onvalue={(value) => (share = value ?? 0.5)}
          /></label
        >
        {#if found && size}
          <p class="text-ink2">
            {short(size)} in {slots} positions is {short(found.position)} each; that is {share}% of {short(
              found.floor,
            )} a day.
          </p>
          <button
            class="act self-start"
            onclick={() => oninsert([`avg_turnover(20) > ${written(found!.floor)}`])}
            >Put in avg_turnover(20) &gt; {written(found.floor)}</button
          >
        {:else}<p class="text-ink3">
            With the size of the account, a floor of money a day that fits it can be put in.
          </p>{/if}
      </div>
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
