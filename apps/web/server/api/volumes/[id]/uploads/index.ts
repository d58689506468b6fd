// An upload is made at this address and sent to one below it.
export { default } from './[...upload]'
