<script lang="ts">
  /** The accounts of this installation, for staff. */
  import { api, sentence, type Schemas } from '$lib/api'
  import { once } from '$lib/mutation'
  import { day } from '$lib/format'
  import { tell } from '$lib/notice.svelte'
  import PasswordField from '$lib/PasswordField.svelte'
  import { ask, client, query } from '$lib/queries'

  const { me }: { me: string } = $props()
  const people = query(() => ask.people())
  let name = $state('')
  let password = $state('')
  let staff = $state(false)
  let refused = $state('')
  /** Whose password is given anew, or who is about to be removed. */
  let given = $state<string | null>(null)
  let removing = $state<string | null>(null)
  let typed = $state('')

  async function attempt(act: () => Promise<Schemas['PersonOut'][]>, done: string): Promise<void> {
    try {
      client.setQueryData(ask.people().queryKey, await act())
      refused = typed = ''
      given = removing = null
      tell(done)
    } catch (error) {
      refused = sentence(error)
    }
  }

  const add = once(async () => {
    const made = { name, password, staff }
    await attempt(() => api.addPerson(made), `The account ${name} is made, with the starter rules.`)
    if (!refused) {
      name = password = ''
      staff = false
    }
  })
</script>

<h2 class="mt-8 font-title text-[19px]">People</h2>
{#if refused}<p role="alert" class="mt-1 text-loss">{refused}</p>{/if}
{#if people.error}
  <p role="alert" class="mt-1 text-loss">{sentence(people.error)}</p>
{:else if !people.data}
  <p class="mt-1 text-ink2">Looking …</p>
{:else}
  <table class="mt-2 w-full text-[13px]">
    <thead>
      <tr class="border-b border-hair text-ink2">
        <th scope="col" class="text-left font-semibold">Name</th>
        <th scope="col" class="text-right font-semibold">Rules</th>
        <th scope="col" class="pl-6 text-left font-semibold">Last signed in</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      {#each people.data as one (one.name)}
        <tr class="border-b border-hair/60 align-baseline">
          <th scope="row" class="py-1 text-left font-semibold"
            >{one.name}{#if one.staff}<span class="font-normal text-ink3">, staff</span>{/if}</th
          >
          <td class="num">{one.rules}</td>
          <td class="pl-6">{one.seen ? day(one.seen) : 'never'}</td>
          <td class="text-right">
            {#if one.name !== me}
              <button
                class="link"
                aria-label="A new password for {one.name}"
                onclick={() => {
                  removing = null
                  typed = ''
                  given = given === one.name ? null : one.name
                }}>New password</button
              >
              <button
                class="link ml-4"
                aria-label="Remove {one.name}"
                onclick={() => {
                  given = null
                  typed = ''
                  removing = removing === one.name ? null : one.name
                }}>Remove</button
              >
            {:else}<span class="text-ink3">you</span>{/if}
          </td>
        </tr>
        {#if given === one.name || removing === one.name}
          <tr>
            <td colspan="4" class="bg-paper2 px-3 py-2">
              <form
                class="flex flex-wrap items-baseline gap-3"
                onsubmit={(event) => {
                  event.preventDefault()
                  void (given
                    ? attempt(
                        () => api.givePassword(one.name, typed),
                        `${one.name} signs in with the new password from now on.`,
                      )
                    : attempt(() => api.removePerson(one.name), `The account ${one.name} is removed.`))
                }}
              >
                {#if given}
                  <span aria-hidden="true">A new password for {one.name}</span>
                  <PasswordField
                    class="w-48"
                    label="A new password for {one.name}, typed here"
                    chosen
                    bind:value={typed}
                  />
                {:else}
                  <label
                    >All rules, lists and studies of {one.name} go with it, for good. Write the name once more
                    <input
                      class="field ml-2 w-48 py-0"
                      autocomplete="off"
                      required
                      bind:value={typed}
                    /></label
                  >
                {/if}
                <button class="act" disabled={removing !== null && typed !== one.name}
                  >{given ? 'Give it' : 'Remove for good'}</button
                >
              </form>
            </td>
          </tr>
        {/if}
      {/each}
    </tbody>
  </table>
{/if}
<form class="mt-4 flex flex-wrap items-end gap-3 text-[13px]" onsubmit={add}>
  <label
    >name<br /><input
      class="field w-48"
      autocomplete="off"
      maxlength="150"
      required
      bind:value={name}
    /></label
  >
  <div>
    <span aria-hidden="true">password, at least 12 characters</span><br />
    <PasswordField class="w-48" label="Password" chosen bind:value={password} />
  </div>
  <label class="pb-1"><input type="checkbox" class="accent-ember" bind:checked={staff} /> staff</label>
  <button class="act">Add an account</button>
</form>
