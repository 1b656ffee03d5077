export { isClipName, type ListedMedia, type MediaListing } from "./clipFiles";
export { fingerprintOf } from "./fingerprint";
