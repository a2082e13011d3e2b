export { around, quotedFrom, textsOf, type Around, type InputText, type Quoted } from "./evidence.js";
export { quotable, type Quotable, type Span } from "./find-quotation.js";
export { placeWords, type Evidence, type Spot } from "./spot.js";
