/** Lets a long run be stopped and held from outside. `turn` resolves when work may go on and rejects when it must stop. */
export interface WorkGate {
  turn(): Promise<void>
}
