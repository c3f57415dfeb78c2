// When the stage is drawn: while anything moves, as coarsely as it takes to keep up; when it rests, once in full; otherwise not.

/** Frames a second that are kept while something moves, the coarsest that the stage gets for it, and how long it waits at rest. */
const KEPT = 15;
const COARSEST = 1 / 3;
const REST = 120;
/** Longer pauses, in milliseconds, are no frames: a slow machine may well take a second for one, and is to be helped. */
const PAUSE = 4000;
/** The coarseness that this machine needed last. */
let coarse = 1;

export class Pacing {
  private frame = 0;
  private rest = 0;
  private last = 0;
  private drawn = 0;

  /** `draw` is told whether it draws in full, at which scale, and the seconds that passed; it says whether something moves by
   * itself, so that a next frame follows. */
  constructor(private readonly draw: (full: boolean, scale: number, passed: number) => boolean) {}

  /** Something has changed: the next frame is drawn as coarsely as needed, and one in full when nothing does any more. */
  touch(): void {
    if (!this.frame) this.frame = requestAnimationFrame((now) => this.step(now));
  }

  end(): void {
    cancelAnimationFrame(this.frame);
    window.clearTimeout(this.rest);
    // Nothing is drawn on a stage that is gone, whoever touches it.
    this.frame = -1;
  }

  private step(now: number): void {
    this.frame = 0;
    window.clearTimeout(this.rest);
    this.rest = 0;
    const between = this.last && now - this.last < PAUSE ? (now - this.last) / 1000 : 0;
    if (between && this.drawn) this.pace(between);
    this.last = now;
    const moves = this.draw(false, coarse, between);
    this.drawn = now;
    if (moves) this.touch();
    else this.rest = window.setTimeout(() => this.full(), REST);
  }

  private full(): void {
    this.rest = 0;
    if (this.frame) return;
    this.drawn = 0;
    this.frame = requestAnimationFrame(() => {
      this.frame = 0;
      this.last = 0;
      this.draw(true, 1, 0);
    });
  }

  /** As coarse as it takes to keep up, and no coarser. */
  private pace(passed: number): void {
    const wanted = coarse * Math.sqrt(1 / KEPT / passed);
    if (passed > 1.1 / KEPT) coarse = Math.max(COARSEST, wanted);
    else if (passed < 0.5 / KEPT) coarse = Math.min(1, coarse * 1.15);
  }
}
