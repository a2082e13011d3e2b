export { answerInquiry, answerText, figureText, type Inquired } from "./answer-inquiry.js";
export type { AskedTable } from "./asked-table.js";
export { columnsTold, inquiryColumns, relatedColumns, type InquiryColumn, type InquiryRow } from "./columns.js";
export { computeInquiry, type Counted, type KeyedRow } from "./compute.js";
export { inquireTemplate, inquiryWorking } from "./inquire-step.js";
export { inquiryTemplate } from "./inquiry-template.js";
export {
  checkInquiry,
  conditionsTold,
  figureTold,
  inquiryCel,
  inquiryTold,
  type AskBack,
  type Inquiry,
  type InquiryCondition,
  type ReadInquiry,
} from "./inquiry.js";
export { unfoundedNumbers, wordPieces, wordsTemplate } from "./read-words.js";
