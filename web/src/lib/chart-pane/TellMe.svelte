<script lang="ts">
  /** Alerts on the instrument in view: a price, a drawn line; and those that are set on it already. */
  import { Popover } from 'bits-ui'
  import { type Drawing } from '$lib/api'
  import { setAlert, removeAlert } from '$lib/alerting'
  import { attempt, once } from '$lib/mutation'
  import { price } from '$lib/format'
  import { deskApi } from '$lib/desk'
  import NumberField from '$lib/NumberField.svelte'
  import { ask, query } from '$lib/queries'

  interface Props {
    symbol: string
    close: number | null
    drawings: Drawing[]
  }
  const { symbol, close, drawings }: Props = $props()
  let open = $state(false)
  const answer = query(() => ({ ...ask.alerts(symbol), enabled: open }))
  let level = $state<number | null>(null)
  let way = $state<'up' | 'down' | 'either'>('either')
  let until = $state('')
  let note = $state('')
  const lines = $derived(drawings.filter((one) => one.kind === 'line' || one.kind === 'level'))
  const usual = $derived(close === null ? 1 : Number((close * 1.01).toPrecision(4)))

  $effect(() => {
    void symbol // what was typed for one instrument is nothing for the next
    level = null
    until = note = ''
  })
  const set = once(async () => {
    const [typed, said] = [level, note]
    await setAlert(
      { kind: 'price', symbol, level: typed ?? usual, way, until: until || null, note: said },
      () => {
        if (level !== typed || note !== said) return // what was typed since is for the next one
        level = null
        note = ''
      },
    )
  })
</script>

<Popover.Root bind:open>
  <Popover.Trigger class="link" title="Set an alert for a price">Alert</Popover.Trigger>
  <Popover.Portal>
    <Popover.Content align="end" sideOffset={4} class="pop w-[340px]">
      <form class="flex flex-wrap items-baseline gap-2" onsubmit={set}>
        when {symbol}
        <select class="field py-0" aria-label="Which way" bind:value={way}>
          <option value="either">meets</option>
          <option value="up">rises to</option>
          <option value="down">falls to</option>
        </select>
        <NumberField
          class="field num w-24 py-0"
          step={0.01}
          min={0}
          empty
          live
          label="Price"
          placeholder={`${usual}`}
          value={level}
          onvalue={(value) => (level = value)}
        />
        <input
          class="field min-w-0 basis-full py-0"
          maxlength="200"
          aria-label="Note"
          placeholder="a note"
          bind:value={note}
        />
        <label class="flex items-baseline gap-1 text-ink2"
          >until <input class="field py-0" type="date" bind:value={until} /></label
        >
        <button class="quiet">Set</button>
      </form>
      {#if close !== null}<p class="text-ink3">
          It closed at {price(close)}. Looked at from the next bar on; it fires once.
        </p>{/if}
      {#each lines as line (line.id)}
        <p class="flex items-baseline gap-2">
          <span class="min-w-0 flex-1 truncate"
            >{line.text || (line.kind === 'line' ? 'your trend line' : 'your level')}, now {price(
              line.today,
            )}</span
          >
          <button
            class="quiet"
            onclick={() => setAlert({ kind: 'line', symbol, drawing: line.id, way: 'either' })}
            >Set alert</button
          >
        </p>
      {/each}
      {#if answer.data?.length}
        <ul class="border-t border-hair pt-1" aria-label="Alerts on {symbol}">
          {#each answer.data as one (one.id)}
            <li class="flex items-baseline gap-3">
              <span class="min-w-0 flex-1 {one.armed ? '' : 'text-ink3'}"
                >{one.words}{one.armed ? '' : one.fired ? ', fired' : ', disarmed'}</span
              >
              <button class="link" onclick={() => attempt(['alerts'], () => deskApi.arm(one.id, !one.armed))}
                >{one.armed ? 'disarm' : 'arm'}</button
              >
              <button class="link" aria-label="Delete: {one.words}" onclick={() => removeAlert(one)}>✕</button
              >
            </li>
          {/each}
        </ul>
      {/if}
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
