import { beforeEach, expect, it } from 'vitest'
import { beginnings, nextPart, nextRow } from './regions'

const of = (id: string) => document.getElementById(id)!

beforeEach(() => {
  document.body.innerHTML = `
    <nav><a id="home" href="/">Home</a><a id="rules" href="/rules">Rules</a></nav>
    <main>
      <section><h2>None</h2><p>Nothing to press</p></section>
      <section><button id="write">Write</button>
        <ul>
          <li><button id="open1">One</button><button id="file1">File</button></li>
          <li>no button</li>
          <li><button id="open2">Two</button></li>
        </ul>
      </section>
      <table><tbody>
        <tr><td><button id="a" disabled>A</button></td></tr>
        <tr><td><button id="b">B</button></td></tr>
        <tr><td><input id="typed" /></td></tr>
      </tbody></table>
    </main>`
})

it('knows where the parts of a page begin, each once', () => {
  expect(beginnings(document).map((one) => one.id)).toEqual(['home', 'write', 'open1', 'b'])
})

it('goes from part to part, and around', () => {
  expect(nextPart(document, null)?.id).toBe('home')
  expect(nextPart(document, of('rules'))?.id).toBe('write')
  expect(nextPart(document, of('write'))?.id).toBe('open1')
  expect(nextPart(document, of('file1'))?.id).toBe('b')
  expect(nextPart(document, of('typed'))?.id).toBe('home')
  expect(nextPart(document, of('b'), true)?.id).toBe('open1')
  expect(nextPart(document, of('home'), true)?.id).toBe('b')
})

it('goes along rows, past those with nothing to press', () => {
  expect(nextRow(of('open1'))?.id).toBe('open2')
  expect(nextRow(of('file1'))?.id).toBe('open2')
  expect(nextRow(of('open2'), true)?.id).toBe('open1')
  expect(nextRow(of('open2'))).toBeNull()
  expect(nextRow(of('b'), true)).toBeNull()
  expect(nextRow(of('write'))).toBeNull()
})

it('leaves the arrows of what is typed into alone', () => {
  expect(nextRow(of('typed'), true)).toBeNull()
})
