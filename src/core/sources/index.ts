export { around, type Around, textsOf, placeWords, quotedFrom, type Evidence, type InputText, type Spot, type Quoted } from "./evidence.js";
export { quotable, type Quotable, type Span } from "./find-quotation.js";
