export { choose, comesTo, keepsLimits, type Choice, type Choosing, type Chosen } from './choosing.ts'
export { plentyXpsnr, type Way } from './lot-ways.ts'
export { tradeOffs } from './trade-off.ts'
export { Ways, WaysAsked, waysOf, type TradeOff, type WaysGround } from './ways.ts'
