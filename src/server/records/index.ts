/** Every change of records goes through here: saved, deleted, carried on, by the release in force. */
export { carryOnPiece } from './carry-on';
export { inForce, markPilot, settlingOf, type InForce } from './force';
export { keysOf } from './by-key';
export { remove } from './remove';
export { Series, isMadeUp, save, saveInOrder } from './save';
export { addedOf, settledAs } from './submitted';
export * from './types';
export type { SaveOutcome } from './describe';
