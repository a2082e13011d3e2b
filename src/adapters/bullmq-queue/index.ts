export { bullmqQueue, type BullmqQueueOptions } from "./bullmq-queue.js";
