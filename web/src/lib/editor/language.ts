/** Colours of the rule language in the editor. The server's parser alone decides what a rule means. */
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language'
import { tags } from '@lezer/highlight'

const KEYWORDS = new Set(
  (
    'let dial use skip from to step any all none of at least and or not held once in crosses above below ' +
    'between near by ago bar bars since when'
  ).split(' '),
)

export const ruleLanguage = StreamLanguage.define({
  name: 'rule',
  token(stream) {
    if (stream.eatSpace()) return null
    if (stream.match(/#.*/)) return 'comment'
    if (stream.match(/"[^"]*"?/)) return 'string'
    // A book's lines begin with what they set: `stop:`, `only while:`, `enter`, `exit long when`.
    if (stream.sol() && stream.match(/(enter|exit(?= )|[a-z]+( [a-z]+)?(?=\s*:))/)) return 'keyword'
    if (stream.match(/\d+(\.\d+)?(%|mo\b|[dwkmb]\b|min\b)?/)) return 'number'
    const word = stream.match(/[A-Za-z_][A-Za-z0-9_]*/) as RegExpMatchArray | null
    if (word) return KEYWORDS.has(word[0]) ? 'keyword' : 'variableName'
    stream.next()
    return 'operator'
  },
  languageData: { commentTokens: { line: '#' } },
})

export const ruleColours = syntaxHighlighting(
  HighlightStyle.define([
    { tag: tags.keyword, color: 'var(--ember)' },
    { tag: tags.number, color: 'var(--gain)' },
    { tag: tags.string, color: 'var(--ink2)' },
    { tag: tags.comment, color: 'var(--ink3)', fontFamily: 'var(--font-sans)', fontStyle: 'italic' },
    { tag: tags.operator, color: 'var(--ink2)' },
  ]),
)
