export const projectDirectory: string
export class SetUpProblem extends Error {}
export function postgresPrograms(): string | null
export function ensureDebianPackages(names: readonly ('postgresql' | 'chromium')[]): void
export function ensureNodeModules(): void
export function checkNode(): void
export function runScript(work: () => Promise<void>): Promise<void>
