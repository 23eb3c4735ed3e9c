<script lang="ts">
  /** The breadths kept by name, and those that are always there. */
  import { Popover } from 'bits-ui'
  import { go } from '$lib/router.svelte'
  import type { KeptBreadth } from '$lib/whole'
  import type { OpenBreadth } from './open.svelte'

  interface Props {
    kept: KeptBreadth[]
    open: OpenBreadth
  }
  const { kept, open }: Props = $props()
  let shown = $state(false)
  let renaming = $state<number | null>(null)
  let name = $state('')
  const own = $derived(kept.filter((one) => one.id !== null))
  const ready = $derived(kept.filter((one) => one.id === null))

  function pick(one: KeptBreadth): void {
    open.open(one)
    go(one.id === null ? '/breadth' : `/breadth/${one.id}`)
    shown = false
  }

  async function rename(event: SubmitEvent, one: KeptBreadth): Promise<void> {
    event.preventDefault()
    const before = open.id
    open.id = one.id
    const done = await open.rename(name)
    if (before !== one.id) open.id = before
    if (done) renaming = null
  }
</script>

<Popover.Root bind:open={shown}>
  <Popover.Trigger class="link text-[13px]">Kept breadths</Popover.Trigger>
  <Popover.Portal>
    <Popover.Content align="end" sideOffset={4} class="pop w-[360px]">
      {#if own.length}
        <ul aria-label="Your breadths">
          {#each own as one (one.id)}
            <li class="flex items-baseline gap-3 py-0.5">
              {#if renaming === one.id}
                <form class="flex flex-1 gap-2" onsubmit={(event) => rename(event, one)}>
                  <input
                    class="field min-w-0 flex-1 py-0"
                    maxlength="120"
                    aria-label="New name of {one.name}"
                    bind:value={name}
                  />
                  <button class="quiet">Keep</button>
                </form>
              {:else}
                <button
                  class="min-w-0 flex-1 truncate text-left hover:underline {one.id === open.id
                    ? 'font-semibold'
                    : ''}"
                  title={one.named_by.length ? `Named by ${one.named_by.join(', ')}` : one.name}
                  onclick={() => pick(one)}>{one.name}</button
                >
                <button
                  class="link"
                  aria-label="Rename {one.name}"
                  onclick={() => {
                    renaming = one.id
                    name = one.name
                  }}>rename</button
                >
                <button class="link" aria-label="Delete {one.name}" onclick={() => open.remove(one)}>✕</button
                >
              {/if}
            </li>
          {/each}
        </ul>
      {:else}
        <p class="text-ink3">None of your own yet: “Save as” keeps the one on show.</p>
      {/if}
      <p class="border-t border-hair pt-2 text-ink3">Always there</p>
      <ul aria-label="Breadths that are always there">
        {#each ready as one (one.name)}
          <li class="py-0.5">
            <button
              class="text-left hover:underline {open.id === null && one.name === open.name
                ? 'font-semibold'
                : ''}"
              onclick={() => pick(one)}>{one.name}</button
            >
          </li>
        {/each}
      </ul>
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
