import { describeLanguage, readLanguages } from '@hematine/core'

/** What is said below a field of languages: what was understood, or what is no language. */
export function languageHint(text: string): string {
  const { languages, unknown } = readLanguages(text)
  if (unknown.length > 0) return `No language: ${unknown.join(', ')}. Write codes, as en, de or fr.`
  return languages.length === 0 ? '' : `${languages.map(describeLanguage).join(', ')}; tracks that state none stay`
}

/** What somebody wrote as tags; what is no language stays in it, so that it is told. */
export function tagsIn(text: string): { languages?: string[] } {
  const { languages, unknown } = readLanguages(text)
  const tags = [...languages, ...unknown]
  return tags.length > 0 ? { languages: tags } : {}
}
