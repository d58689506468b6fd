/** A language tag in its one form ("ger", "deu" and "de" are "de"); null for none and for what is none. */
export function languageOf(tag: string | null): string | null {
  if (tag === null || tag === '') return null
  try {
    const [language] = Intl.getCanonicalLocales(tag.replaceAll('_', '-'))
    return language === undefined || language.startsWith('und') ? null : language
  } catch {
    return null
  }
}

const names = new Intl.DisplayNames('en', { type: 'language', fallback: 'code' })

/** "German" for "ger"; the tag itself where it is no language that is known. */
export function describeLanguage(tag: string): string {
  const language = languageOf(tag)
  return language === null ? tag : (names.of(language) ?? tag)
}

/** Tags as somebody writes them ("en, ger"), in their order and each once. @returns those that are languages, and those that are not */
export function readLanguages(text: string): { languages: string[]; unknown: string[] } {
  const words = text.split(/[\s,;]+/).filter(word => word !== '')
  const known = words.map(word => ({ word, language: languageOf(word) }))
  // A tag of the right shape that names no language has no name either.
  const isKnown = ({ word, language }: (typeof known)[number]) =>
    language !== null && describeLanguage(word) !== language
  return {
    languages: [...new Set(known.filter(isKnown).map(entry => entry.language!))],
    unknown: known.filter(entry => !isKnown(entry)).map(entry => entry.word),
  }
}
