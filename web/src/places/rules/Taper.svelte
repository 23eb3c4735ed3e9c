<script lang="ts">
  import type { Line, Scan } from '$lib/api'
  import type { Place } from '$lib/editor/place'
  import { whole } from '$lib/format'

  interface Props {
    scan: Scan
    /** On what share of all bars each of its lines is true; null while that is not known. */
    ever: number[] | null
    offset: number
    /** Whether the numbers are of the text before, while the one that stands is counted. */
    busy: boolean
    current: number
    /** Lines of the editor that are folded away. */
    hidden: number[]
    /** Where each line of the editor stands, in order. */
    places: Place[]
    onskip: (line: number) => void
  }
  const { scan, ever, offset, busy, current, hidden, places, onskip }: Props = $props()
  const ROW = 30
  const WIDTH = 132

  // A `use` line stands for several lines of another rule: the last of them says what is left.
  const rows = $derived.by(() => {
    // eslint-disable-next-line svelte/prefer-svelte-reactivity -- local to this computation
    const last = new Map<number, Line>()
    for (const line of scan.lines) {
      const before = last.get(line.number)
      if (!before || line.part || line.depth === 0) last.set(line.number, line)
    }
    return [...last.values()].filter((line) => !hidden.includes(line.number - offset))
  })
  const deciding = $derived(rows.filter((line) => line.depth === 0 && !line.skip))
  const most = $derived(Math.max(1, ...deciding.map((line) => line.left)))
  const lastOne = $derived(deciding.at(-1))
  const emptied = $derived(deciding.find((line) => line.left === 0))

  function hint(line: Line): string {
    const unknown = line.unknown ? ` Unknown for ${whole(line.unknown)}.` : ''
    const share = ever?.[scan.lines.indexOf(line)]
    const often =
      share === undefined ? '' : ` True on ${(share * 100).toFixed(share < 0.1 ? 1 : 0)}% of all bars.`
    const click = line.part ? '' : line.skip ? ' Click to count it again.' : ' Click to skip it.'
    if (line.depth || line.skip) return `By itself true for ${whole(line.true)}.${unknown}${often}${click}`
    return `${whole(line.left)} left. This line alone removes ${whole(line.alone)}.${unknown}${often}${click}`
  }
</script>

<ol
  class="relative shrink-0 select-none"
  style:width="{WIDTH + 12}px"
  class:waits={busy}
  aria-busy={busy}
  aria-label="What each line leaves"
>
  {#each rows as line (line.number)}
    {@const at = line.number - offset}
    {@const place = places[at - 1] ?? {
      top: (at - 1 - hidden.filter((n) => n < at).length) * ROW,
      height: ROW,
    }}
    {@const width = Math.max(2, (line.left / most) * WIDTH)}
    {@const decides = line.depth === 0 && !line.skip}
    <li class="group absolute right-3 left-0" style:top="{place.top}px" style:height="{place.height}px">
      <button
        type="button"
        class="num relative block h-full w-full text-[13px]"
        title={hint(line)}
        aria-label="{line.text}: {hint(line)}"
        disabled={Boolean(line.part)}
        onclick={() => onskip(line.number)}
      >
        {#if decides}
          <span
            class="absolute inset-y-0 left-1/2 -translate-x-1/2 {line === lastOne || line === emptied
              ? 'bg-ember'
              : 'bg-glow'}"
            class:opacity-80={line.number === current}
            style:width="{width}px"
          ></span>
          {#if width > 44}
            <span
              class="absolute inset-0 grid place-items-center {line === lastOne
                ? 'font-semibold text-paper'
                : ''}"
            >
              {whole(line.left)}
            </span>
          {:else}
            <span
              class="absolute inset-y-0 grid place-items-center"
              class:font-semibold={line === lastOne || line === emptied}
              class:text-ember={line === emptied}
              style:left="calc(50% + {width / 2 + 7}px)">{whole(line.left)}</span
            >
          {/if}
        {:else}
          <span class="absolute inset-0 grid place-items-center text-ink3">
            {whole(line.true)} alone
          </span>
        {/if}
        {#if decides && line.alone > 0}
          <span
            class="absolute inset-y-0 left-0 hidden items-center bg-paper pr-1 text-[12px] text-ink2 group-hover:flex group-focus-within:flex"
            >−{whole(line.alone)} alone</span
          >
        {/if}
      </button>
    </li>
  {/each}
</ol>
