export const two = 2;
