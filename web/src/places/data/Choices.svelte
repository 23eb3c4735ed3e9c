<script lang="ts">
  /** What is chosen once for the whole market: the benchmark, and where the exchange is. */
  import { data, sentence, type DataThere } from '$lib/api'
  import { tell } from '$lib/notice.svelte'
  import { forget } from '$lib/queries'

  const { there }: { there: DataThere } = $props()
  let refused = $state('')
  // Told again and again while data move: only another answer takes the place of what is being typed.
  const kept = $derived(there.benchmark)
  const keptZone = $derived(there.zone)
  let benchmark = $derived(kept)
  let zone = $derived(keptZone)
  const zones = Intl.supportedValuesOf('timeZone')

  async function choose(body: { benchmark?: string; zone?: string }, done: string): Promise<void> {
    try {
      await data.choose(body)
      refused = ''
      tell(done)
      await forget('data')
    } catch (error) {
      refused = sentence(error)
    }
  }
</script>

<form
  onsubmit={(event) => {
    event.preventDefault()
    const [b, z] = [benchmark.trim().toUpperCase(), zone.trim()]
    void choose(
      { benchmark: b, zone: z },
      `The benchmark is ${b || 'none'}${z ? `, the exchange’s clock that of ${z}` : ''}.`,
    )
  }}
>
  <h2 class="font-title text-[19px]">The market as a whole</h2>
  <label class="mt-2 block text-[13px]"
    >Benchmark: what studies, books and <code>benchmark(…)</code> hold against
    <input
      class="field mt-1 w-full"
      bind:value={benchmark}
      disabled={!there.may}
      placeholder="none"
      maxlength="32"
    /></label
  >
  <label class="mt-3 block text-[13px]"
    >The exchange’s time zone, for moments that come with an offset
    <input
      class="field mt-1 w-full"
      bind:value={zone}
      disabled={!there.may}
      list="zones"
      placeholder="none: times are the exchange’s own"
      maxlength="64"
    /></label
  >
  <datalist id="zones"
    >{#each zones as name (name)}<option value={name}></option>{/each}</datalist
  >
  {#if refused}<p role="alert" class="mt-2 text-[13px] text-loss">{refused}</p>{/if}
  {#if there.may && (benchmark !== there.benchmark || zone !== there.zone)}
    <button class="act mt-3">Keep</button>
    <button
      type="button"
      class="link ml-3 text-[13px]"
      onclick={() => {
        benchmark = there.benchmark
        zone = there.zone
        refused = ''
      }}>As it was</button
    >
  {/if}
</form>
