<script lang="ts">
  /** Vendors: how the files of each sender are read, as it was answered once; changed, exported, imported, deleted. */
  import { data, sentence, type DataThere } from '$lib/api'
  import { attempt, undoable } from '$lib/mutation'
  import { when } from '$lib/format'
  import { tell } from '$lib/notice.svelte'
  import { download } from '$lib/csv'

  type Vendor = DataThere['vendors'][number]
  const { vendors }: { vendors: DataThere['vendors'] } = $props()
  let open = $state<number | null>(null)
  let input: HTMLInputElement | undefined = $state()
  const CHOICES: [string, string, [string, string][]][] = [
    ['dates', 'Dates are written', [
      ['', 'as they tell'], ['year first', 'year first'], ['day first', 'day first'], ['month first', 'month first'],
      ["day and month's name", 'day and month’s name'], ["month's name and day", 'month’s name and day'],
      ['seconds since 1970', 'seconds since 1970'], ['milliseconds since 1970', 'milliseconds since 1970'],
    ]],
    ['decimal', 'Decimals', [['', 'as they tell'], ['point', 'point'], ['comma', 'comma']]],
    ['adjusted', 'Prices are', [
      ['', 'as printed'], ['splits', 'adjusted for splits'], ['full', 'adjusted for splits and dividends'],
    ]],
    ['suffix', 'The ending that all symbols share', [['', 'ask'], ['keep', 'kept'], ['remove', 'removed']]],
    ['names', 'The files’ names are the symbols', [['', 'ask'], ['yes', 'yes'], ['no', 'no']]],
  ] // prettier-ignore

  function change(vendor: Vendor, body: Parameters<typeof data.changeVendor>[1]): void {
    void attempt(['data'], () => data.changeVendor(vendor.id, body))
  }
  function remove(vendor: Vendor): void {
    void attempt(['data'], async () => {
      const records = await data.vendors()
      await data.deleteVendor(vendor.id)
      const back = records.filter((one) => one.name === vendor.name)
      undoable(`${vendor.name} is deleted; its next files are asked about.`, ['data'], () =>
        data.bringVendors(back),
      )
    })
  }
  async function exported(): Promise<void> {
    try {
      download('vendors.json', JSON.stringify(await data.vendors(), null, 2), 'application/json')
    } catch (error) {
      tell(sentence(error))
    }
  }
  async function imported(): Promise<void> {
    const file = input?.files?.[0]
    if (input && file) {
      const text = await file.text()
      input.value = ''
      await attempt(['data'], async () => {
        let records
        try {
          records = JSON.parse(text) as Record<string, unknown>[]
        } catch {
          throw new Error(`${file.name} is not JSON, as Export writes it.`)
        }
        tell(`${(await data.bringVendors(records)).length} vendors imported.`)
      })
    }
  }
  const words = (vendor: Vendor): string =>
    CHOICES.flatMap(([key, , options]) => {
      const value = vendor.answers[key]
      return value ? [`${key} ${options.find(([one]) => one === value)?.[1] ?? String(value)}`] : []
    }).join(', ') || 'as its files tell'
</script>

<section class="mt-10" aria-label="Vendors">
  <h2 class="font-title text-[19px]">Vendors</h2>
  <p class="mt-1 max-w-[90ch] text-[13px] text-ink2">
    How the files of each sender are read, kept with the first import that could be read two ways and used for
    every later file like it, here, in the drop folder and on the command line.
    {#if vendors.length}<button class="link ml-2" onclick={exported}>Export</button>{/if}
    <button class="link ml-2" onclick={() => input?.click()}>Import</button>
    <input
      bind:this={input}
      type="file"
      class="sr-only"
      tabindex="-1"
      aria-label="Vendors to import"
      accept=".json"
      onchange={imported}
    />
  </p>
  {#if !vendors.length}<p class="mt-1 text-[13px] text-ink3">None yet.</p>{/if}
  <ul class="mt-1 text-[13px]">
    {#each vendors as vendor (vendor.id)}
      <li class="border-t border-hair/60 py-1.5">
        <div class="grid grid-cols-[minmax(0,1fr)_auto] items-baseline gap-4">
          <button
            class="min-w-0 text-left hover:text-ember"
            aria-expanded={open === vendor.id}
            onclick={() => (open = open === vendor.id ? null : vendor.id)}
            ><b class="font-semibold break-all">{vendor.name}</b>
            <span class="text-ink2">files {vendor.pattern}: {words(vendor)}</span>
            {#if vendor.used}<span class="text-ink3">· last used {when(vendor.used)}</span>{/if}</button
          >
          <button class="link" aria-label="Delete {vendor.name}" onclick={() => remove(vendor)}>Delete</button
          >
        </div>
        {#if open === vendor.id}
          <div class="mt-2 mb-2 grid gap-x-8 gap-y-2 pl-4 min-[900px]:grid-cols-2">
            <label
              >Name <input
                class="field w-60"
                maxlength="80"
                value={vendor.name}
                onchange={(event) => change(vendor, { name: event.currentTarget.value })}
              /></label
            >
            <label
              >Files called <input
                class="field w-60"
                maxlength="300"
                title="* stands for what changes from file to file"
                value={vendor.pattern}
                onchange={(event) => change(vendor, { pattern: event.currentTarget.value })}
              /></label
            >
            {#each CHOICES as [key, label, options] (key)}
              <label
                >{label}
                <select
                  class="inline-pick"
                  value={vendor.answers[key] ?? ''}
                  onchange={(event) => change(vendor, { answers: { [key]: event.currentTarget.value } })}
                  >{#each options as [value, text] (value)}<option {value}>{text}</option>{/each}</select
                ></label
              >
            {/each}
            <p class="text-ink2 min-[900px]:col-span-2">
              Columns: {vendor.headings
                .map((heading) => {
                  const columns = (vendor.answers.columns ?? {}) as Record<string, string>
                  const own = Object.entries(columns).find(([key]) => key.toLowerCase() === heading)
                  return own ? `${own[0]} = ${own[1] || 'left out'}` : heading
                })
                .join(', ')}
            </p>
          </div>
        {/if}
      </li>
    {/each}
  </ul>
</section>
