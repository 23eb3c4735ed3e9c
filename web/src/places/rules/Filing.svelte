<script lang="ts">
  /** Where a rule lies, and its link for other accounts. */
  import { untrack } from 'svelte'
  import { api, sentence, type RuleSummary } from '$lib/api'
  import { copy } from '$lib/csv'
  import { tell } from '$lib/notice.svelte'

  interface Props {
    rule: Pick<RuleSummary, 'id' | 'name' | 'folder' | 'tags' | 'shared'>
    folders: string[]
    tags: string[]
    ondone: () => void
  }
  const { rule, folders, tags, ondone }: Props = $props()
  let folder = $state(untrack(() => rule.folder))
  let words = $state(untrack(() => rule.tags.join(', ')))
  let link = $state('')

  async function keep(event: SubmitEvent): Promise<void> {
    event.preventDefault()
    try {
      await api.change(rule.id, { folder, tags: words.split(',') })
      ondone()
    } catch (error) {
      tell(sentence(error))
    }
  }

  async function share(): Promise<void> {
    try {
      const { share: token } = await api.share(rule.id)
      link = `${location.origin}/shared/${token}`
      const done = await copy(link)
      tell(
        `Any account of this server can read “${rule.name}” by its link${done ? ', which is copied' : ''}.`,
      )
    } catch (error) {
      tell(sentence(error))
    }
  }

  async function unshare(): Promise<void> {
    try {
      await api.unshare(rule.id)
      link = ''
      tell(`The link of “${rule.name}” leads nowhere any more.`, { label: 'Share it again', run: share })
      ondone()
    } catch (error) {
      tell(sentence(error))
    }
  }
</script>

<form class="mt-2 flex flex-wrap items-center gap-3 bg-paper2 px-3 py-2 text-[13px]" onsubmit={keep}>
  <label class="flex items-center gap-2"
    >Folder <input
      class="field w-40 py-0.5"
      maxlength="60"
      list="folders-{rule.id}"
      bind:value={folder}
    /></label
  >
  <label class="flex items-center gap-2"
    >Tags <input
      class="field w-56 py-0.5"
      placeholder="trend, weekly"
      list="tags-{rule.id}"
      bind:value={words}
    /></label
  >
  <datalist id="folders-{rule.id}"
    >{#each folders.filter(Boolean) as name (name)}<option value={name}></option>{/each}</datalist
  >
  <datalist id="tags-{rule.id}"
    >{#each tags as name (name)}<option value={name}></option>{/each}</datalist
  >
  <button class="act">Keep</button>
  <button type="button" class="link" onclick={ondone}>Cancel</button>
  <span class="ml-auto flex items-center gap-3">
    {#if link}<input
        class="field w-72 py-0.5 font-mono text-[12px]"
        readonly
        aria-label="Link"
        value={link}
      />{/if}
    <button type="button" class="link underline underline-offset-3" onclick={share}
      >{rule.shared || link ? 'Copy its link' : 'Share by a link'}</button
    >
    {#if rule.shared || link}<button type="button" class="link" onclick={unshare}>Take the link back</button
      >{/if}
  </span>
</form>
