/** Rules as files of the DMN standard, out and in. */
export { DMN_VERSIONS, type DmnVersion } from './namespaces';
export { fromDmn, MAX_DMN, type TakenIn, type Told } from './read';
export { toDmn, type DmnFile, type Lost } from './write';
