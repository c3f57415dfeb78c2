/** What a field offers for what was typed: the value that it takes, how it reads, and what is said of it. */
export interface Offer {
  value: string;
  text: string;
  said?: string;
}

/** A link that was just made: its secret, of which only the hash is kept, and what it gives its taker. */
export interface FreshLink {
  secret: string;
  what: string;
}
