<script lang="ts">
  /** The button that breaks a seal, with the question it asks first. */
  import type { Snippet } from 'svelte'
  import { AlertDialog } from 'bits-ui'

  interface Props {
    /** What is sealed: `rule` or `book`. */
    of: string
    class?: string
    disabled?: boolean
    open: boolean
    onbreak: () => void
    children: Snippet
  }
  let { of, class: className = '', disabled = false, open = $bindable(), onbreak, children }: Props = $props()
</script>

<AlertDialog.Root bind:open>
  <AlertDialog.Trigger class="underline underline-offset-3 {className}" {disabled}
    >Break the seal …</AlertDialog.Trigger
  >
  <AlertDialog.Portal>
    <AlertDialog.Overlay class="fixed inset-0 z-20 bg-ink/25" />
    <AlertDialog.Content class="pop fixed top-[22%] left-1/2 z-30 w-[470px] -translate-x-1/2">
      <AlertDialog.Title class="font-title text-[19px]">Break the seal of this {of}?</AlertDialog.Title>
      <AlertDialog.Description class="text-[14px] text-ink2">{@render children()}</AlertDialog.Description>
      <div class="mt-2 flex justify-end gap-3">
        <AlertDialog.Cancel class="quiet">Keep the seal</AlertDialog.Cancel>
        <button class="act" onclick={onbreak}>Break the seal</button>
      </div>
    </AlertDialog.Content>
  </AlertDialog.Portal>
</AlertDialog.Root>
