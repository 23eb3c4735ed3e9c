<script lang="ts">
  import { Dialog } from 'bits-ui'

  let { open = $bindable() }: { open: boolean } = $props()
  const KEYS = [
    ['j  k', 'next and previous instrument'],
    ['Enter', 'the chart alone, and back beside the list'],
    ['v', 'select the instrument, and let it go'],
    ['c', 'compare with the session before'],
    ['[  ]', 'one session back and forward'],
    ['{  }', 'one week back and forward'],
    ['<  >', 'one month back and forward'],
    [',', 'stand on the run of hits before'],
    ['/', 'filter the hits'],
    ['e', 'go to the rule’s lines'],
    ['w  f  p', 'why it is a hit, line by line; facts and reports; live patterns'],
    ['t', 'draw a trend line (Alt: without snapping)'],
    ['Alt ← →', 'move the column whose head is focused; with Shift, its width'],
    ['g r', 'go to the list of rules'],
    ['g w', 'go to the reference of all words'],
    ['x  u', 'dismiss a chart of the sheet, and bring it back'],
    ['Alt Enter', 'put in the mend of the error or advice at the cursor'],
    ['F1', 'look up the name under the cursor'],
    ['Ctrl Enter', 'measure follow-through'],
    ['Ctrl S', 'save the rule'],
    ['Ctrl Space', 'complete a name'],
    ['Esc', 'leave the lines'],
    ['?', 'this list'],
  ] as const
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 bg-ink/30" />
    <Dialog.Content
      class="fixed top-12 left-1/2 max-h-[85vh] w-[460px] overflow-auto -translate-x-1/2 border border-hair bg-paper px-6 py-5 text-ink"
    >
      <Dialog.Title class="font-title text-xl">Keys</Dialog.Title>
      <dl class="mt-3 grid grid-cols-[auto_1fr] items-center gap-x-5 gap-y-1.5">
        {#each KEYS as [key, what] (key)}
          <dt><kbd>{key}</kbd></dt>
          <dd>{what}</dd>
        {/each}
      </dl>
      <Dialog.Close class="quiet mt-4">Close</Dialog.Close>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
