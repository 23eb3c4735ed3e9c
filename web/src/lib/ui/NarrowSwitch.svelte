<script lang="ts">
  /** Which pane is on show where there is no room for two: the text, or what came of it. */
  interface Props {
    writing: boolean
    text: string
    results?: string
  }
  let { writing = $bindable(), text, results = 'Results' }: Props = $props()
</script>

<div
  class="flex shrink-0 gap-5 border-b border-hair bg-paper2 px-4 py-1.5"
  role="group"
  aria-label="What to see"
>
  {#each [[true, text], [false, results]] as const as [which, label] (which)}
    <button
      aria-pressed={writing === which}
      class={writing === which
        ? 'font-semibold underline decoration-ember decoration-2 underline-offset-4'
        : 'link'}
      onclick={() => (writing = which)}>{label}</button
    >
  {/each}
</div>
