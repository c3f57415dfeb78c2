/** What a field offers for what was typed: the value that it takes, how it reads, and what is said of it. */
export interface Offer {
  value: string;
  text: string;
  said?: string;
}
