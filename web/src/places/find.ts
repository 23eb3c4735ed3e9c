/** Whether a text speaks of what is looked for: all its words stand in it, or those of something that means the same. */
const plain = (text: string) => text.toLowerCase().replaceAll('_', ' ').replaceAll('’', "'")

/** wanted: what was typed. alike: groups of words that mean the same to who looks for something. */
export function finder(wanted: string, alike: string[][]): (text: string) => boolean {
  const asked = plain(wanted).trim()
  if (!asked) return () => true
  const others = alike
    .filter((group) => group.some((one) => plain(one) === asked))
    .flatMap((group) => group.map(plain))
  const begins = (text: string, word: string) =>
    text.startsWith(word) || text.includes(` ${word}`) || text.includes(`(${word}`)
  const ways = [asked, ...others].map((way) => way.split(/\s+/))
  return (text) => {
    const said = plain(text)
    return said.includes(asked) || ways.some((words) => words.every((word) => begins(said, word)))
  }
}
