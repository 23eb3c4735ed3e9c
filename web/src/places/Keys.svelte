<script lang="ts">
  import { Dialog } from 'bits-ui'
  import { listed, shownKey } from '$lib/commands'
  import { PLACES } from './places'

  let { open = $bindable() }: { open: boolean } = $props()
  const PLACE_KEYS = PLACES.filter((place) => place.key)
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 bg-ink/30" />
    <Dialog.Content
      class="fixed top-12 left-1/2 max-h-[85vh] w-[860px] max-w-[94vw] overflow-auto -translate-x-1/2 border border-hair bg-paper px-6 py-5 text-ink"
    >
      <Dialog.Title class="font-title text-xl">Keys</Dialog.Title>
      <div class="mt-1 gap-10 sm:columns-2">
        {#each listed() as [scope, rows], i (scope)}
          <section class="break-inside-avoid pb-3">
            <h2 class="mt-2 font-semibold">{scope}</h2>
            <dl class="mt-1.5 grid grid-cols-[7.5rem_1fr] items-center gap-x-5 gap-y-1.5">
              {#each rows as [command, row] (command)}
                <dt><kbd>{shownKey(command)}</kbd></dt>
                <dd>{row.what}</dd>
              {/each}
              {#each i === 0 ? PLACE_KEYS : [] as place (place.id)}
                <dt><kbd>g {place.key}</kbd></dt>
                <dd>go to {place.help}</dd>
              {/each}
            </dl>
          </section>
        {/each}
      </div>
      <Dialog.Close class="quiet mt-4">Close</Dialog.Close>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
