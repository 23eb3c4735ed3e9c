<script lang="ts">
  /** A field for a number, typed as people write it. What can be read two ways is asked; what is no number is said, and stays to be mended. */
  import { onMount } from 'svelte'
  import { choose, preferences } from './preferences.svelte'
  import { readNumber, writeNumber } from './numbers'
  import { tell } from './notice.svelte'

  interface Props {
    value: number | null | undefined
    onvalue: (value: number | null) => void
    label?: string
    class?: string
    placeholder?: string
    min?: number
    max?: number
    step?: number
    /** Whether it may be empty; else what stood there comes back. */
    empty?: boolean
    required?: boolean
    /** Whether each key counts, or only leaving the field and Enter. */
    live?: boolean
    disabled?: boolean
    /** Focused as it appears. */
    focused?: boolean
  }
  const {
    value,
    onvalue,
    label,
    class: classes = 'field num',
    placeholder = '',
    min,
    max,
    step = 1,
    empty = false,
    required = false,
    live = false,
    disabled = false,
    focused = false,
  }: Props = $props()
  const decimals = $derived(preferences.now.account?.decimals ?? '')
  /** What is typed and not taken yet; null while the value stands. */
  let typed = $state<string | null>(null)
  let trouble = $state('')
  let ways = $state.raw<{ point: number; comma: number } | null>(null)
  let input: HTMLInputElement
  const id = $props.id()
  const shown = $derived(typed ?? writeNumber(value, decimals))
  onMount(() => {
    if (focused) input.focus()
  })

  function outside(number: number): string {
    if (min !== undefined && number < min) return `At least ${writeNumber(min, decimals)}.`
    if (max !== undefined && number > max) return `At most ${writeNumber(max, decimals)}.`
    return ''
  }
  function taken(number: number | null): void {
    typed = null
    trouble = ''
    ways = null
    if (number !== value) onvalue(number)
  }
  /** final: the field is left, or Enter pressed; while typing only what is whole counts. */
  function read(final: boolean): void {
    if (typed === null) return
    const found = readNumber(typed, decimals)
    ways = null
    trouble = ''
    if (found.kind === 'number') {
      trouble = outside(found.value)
      if (trouble) return
      if (final) taken(found.value)
      else if (live && found.value !== value) onvalue(found.value)
    } else if (found.kind === 'empty') {
      if (empty) {
        if (final) taken(null)
        else if (live) onvalue(null)
      } else if (final) typed = null
    } else if (final) {
      if (found.kind === 'unclear') ways = found
      else trouble = found.why
    }
  }
  function answer(kind: 'point' | 'comma'): void {
    const number = ways![kind]
    choose({ account: { ...preferences.now.account, decimals: kind } })
    tell(`From now on numbers are read with a decimal ${kind}; Account changes it.`)
    const why = outside(number)
    if (why) {
      ways = null
      trouble = why
    } else taken(number)
  }
  function stepped(by: number): void {
    const found = typed === null ? null : readNumber(typed, decimals)
    const from = found?.kind === 'number' ? found.value : (value ?? 0)
    const next = Number((from + by * step).toFixed(8))
    if (!outside(next)) {
      typed = null
      taken(next)
    }
  }
</script>

<span class="relative inline-block"
  ><input
    bind:this={input}
    class={classes}
    type="text"
    inputmode="decimal"
    autocomplete="off"
    role="spinbutton"
    aria-label={label}
    aria-valuenow={value ?? undefined}
    aria-invalid={trouble || ways ? 'true' : undefined}
    aria-describedby={trouble || ways ? `${id}-why` : undefined}
    {placeholder}
    {required}
    {disabled}
    value={shown}
    oninput={(event) => {
      typed = event.currentTarget.value
      read(false)
    }}
    onblur={() => read(true)}
    onkeydown={(event) => {
      if (event.key === 'Enter') read(true)
      else if (event.key === 'Escape' && typed !== null) {
        event.stopPropagation()
        typed = null
        trouble = ''
        ways = null
      } else if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
        event.preventDefault()
        stepped(event.key === 'ArrowUp' ? 1 : -1)
      } else return
      // A form is not sent with what was not understood.
      if (event.key === 'Enter' && (trouble || ways)) event.preventDefault()
    }}
  />{#if trouble || ways}<span
      id="{id}-why"
      role="alert"
      class="absolute top-full left-0 z-20 mt-0.5 block w-max max-w-[260px] border border-hair bg-paper px-2 py-1 text-left font-sans text-[12px] leading-snug font-normal whitespace-normal text-loss"
      >{#if ways}It can be read two ways:
        <button type="button" class="link" onclick={() => answer('point')}>{ways.point}</button> or
        <button type="button" class="link" onclick={() => answer('comma')}
          >{writeNumber(ways.comma, 'comma')}</button
        >?{:else}{trouble}{/if}</span
    >{/if}</span
>
