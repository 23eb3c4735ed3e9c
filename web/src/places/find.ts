/** Whether a text speaks of what is looked for: all its words stand in it, or those of something that means the same. */
const plain = (text: string) => text.toLowerCase().replaceAll('_', ' ').replaceAll('’', "'")

/** wanted: what was typed. alike: groups of words that mean the same to who looks for something. */
export function finder(wanted: string, alike: string[][]): (text: string) => boolean {
  const asked = plain(wanted).trim()
  if (!asked) return () => true
  const others = alike
    .filter((group) => group.some((one) => plain(one) === asked))
    .flatMap((group) => group.map(plain))
  const whole = (word: string) =>
    new RegExp(`(^|[^a-z0-9])${word.replace(/[^a-z0-9]/g, '\\$&')}($|[^a-z0-9])`)
  const begun = (word: string) => new RegExp(`(^|[^a-z0-9])${word.replace(/[^a-z0-9]/g, '\\$&')}`)
  // What was typed may be the beginning of a word; what means the same is a word of its own.
  const ways = [asked.split(/\s+/).map(begun), ...others.map((way) => way.split(/\s+/).map(whole))]
  return (text) => {
    const said = plain(text)
    return said.includes(asked) || ways.some((words) => words.every((word) => word.test(said)))
  }
}
