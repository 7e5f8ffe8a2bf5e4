/** Arithmetic as people type it into a number field: + - * / and brackets, decimal point or comma. */

/** The value of an expression; null if it is none. */
export function calculate(text: string): number | null {
  const source = text.replace(/\s+/g, "").replace(/,/g, ".").replace(/×/g, "*").replace(/−/g, "-");
  let at = 0;

  function factor(): number {
    if (source[at] === "-") {
      at += 1;
      return -factor();
    }
    if (source[at] === "(") {
      at += 1;
      const inner = sum();
      if (source[at] !== ")") throw new SyntaxError("bracket");
      at += 1;
      return inner;
    }
    const match = /^\d*\.?\d+(?:e[+-]?\d+)?/.exec(source.slice(at)) ?? /^\d+\.?/.exec(source.slice(at));
    if (!match) throw new SyntaxError("number");
    at += match[0].length;
    return Number(match[0]);
  }

  function product(): number {
    let value = factor();
    while (source[at] === "*" || source[at] === "/") {
      const divides = source[at] === "/";
      at += 1;
      value = divides ? value / factor() : value * factor();
    }
    return value;
  }

  function sum(): number {
    let value = product();
    while (source[at] === "+" || source[at] === "-") {
      const minus = source[at] === "-";
      at += 1;
      value = minus ? value - product() : value + product();
    }
    return value;
  }

  try {
    const value = sum();
    return at === source.length && Number.isFinite(value) ? value : null;
  } catch {
    return null;
  }
}

/** What a number field makes of a text: the number, or why it is none. Units other than the field's are refused. */
export function readNumber(text: string, unit: string, whole: boolean): { value: number } | { reason: string } {
  const match = /^(.*?)([a-zA-Z°"'%µ]*)$/.exec(text.trim());
  const [, body = "", typed = ""] = match ?? [];
  if (typed && typed !== unit && body.trim()) {
    const own = unit ? `this is measured in ${unit}` : "this has no unit";
    return { reason: `“${typed}” does not belong here; ${own}` };
  }
  const value = calculate(body);
  if (value === null) return { reason: `“${text}” is not a number or a calculation` };
  if (whole && !Number.isInteger(value)) return { reason: `${value} is not a whole number` };
  return { value };
}

/** A number as fields show it: at most four decimals, no trailing zeros. */
export function writeNumber(value: number): string {
  return String(Math.round(value * 10_000) / 10_000);
}
