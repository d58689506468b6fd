export const projectDirectory: string
export class SetUpProblem extends Error {}
export function temporaryDirectory(prefix: string): string
export function postgresPrograms(): string | null
export function runScript(debian: readonly ('postgresql' | 'chromium')[], work: () => Promise<void>): Promise<void>
