/**
 * Figures after the point of a currency, where these are not two (ISO 4217, "minor unit"; those with none and with
 * three, from memory).
 */
const MINOR: Record<string, number> = {
  BIF: 0,
  CLP: 0,
  DJF: 0,
  GNF: 0,
  ISK: 0,
  JPY: 0,
  KMF: 0,
  KRW: 0,
  PYG: 0,
  RWF: 0,
  UGX: 0,
  VND: 0,
  VUV: 0,
  XAF: 0,
  XOF: 0,
  XPF: 0,
  BHD: 3,
  IQD: 3,
  JOD: 3,
  KWD: 3,
  LYD: 3,
  OMR: 3,
  TND: 3,
};

/** How many figures after the point amounts of a currency have. @param currency ISO 4217, three capitals */
export function minorUnits(currency: string): number {
  return MINOR[currency] ?? 2;
}

/**
 * An amount in hundredths: sums are made of whole numbers, since fractions of two do not add up to what is printed.
 * @param amount with two figures after the point at most, as it is kept
 */
export function hundredths(amount: number): bigint {
  return BigInt(Math.round(amount * 100));
}

/**
 * Hundredths as amounts of a currency are written, to its minor unit; halves go to the even neighbour (IEEE 754-2019,
 * roundTiesToEven), so that many rounded amounts are neither too large nor too small together.
 * @returns digits with a point, such as `-1200.50`, `1200` or `1.500`
 */
export function inMinorUnits(amount: bigint, currency: string): string {
  const places = minorUnits(currency);
  const units =
    places >= 2 ? amount * 10n ** BigInt(places - 2) : halfEven(amount, 10n ** BigInt(2 - places));
  const negative = units < 0n;
  const digits = String(negative ? -units : units).padStart(places + 1, '0');
  const whole = digits.slice(0, digits.length - places);
  return `${negative ? '-' : ''}${whole}${places ? `.${digits.slice(-places)}` : ''}`;
}

/** A whole number divided by another, rounded to the nearest; a half to the even one. */
export function halfEven(amount: bigint, by: bigint): bigint {
  const [whole, rest] = [amount / by, amount % by];
  const twice = (rest < 0n ? -rest : rest) * 2n;
  const away = amount < 0n ? -1n : 1n;
  if (twice < by || (twice === by && whole % 2n === 0n)) return whole;
  return whole + away;
}

const SIGNS = new Map<string, Intl.NumberFormat>();

/** Hundredths in words: `£1,200.50`. @param currency ISO 4217 */
export function moneyWords(amount: bigint, currency: string): string {
  const places = minorUnits(currency);
  const format =
    SIGNS.get(currency) ??
    new Intl.NumberFormat('en-GB', {
      style: 'currency',
      currency,
      currencyDisplay: 'narrowSymbol',
      minimumFractionDigits: places,
      maximumFractionDigits: places,
    });
  SIGNS.set(currency, format);
  // The figures are ours, the sign and the commas the language's; a string keeps what a number would not.
  return format.format(inMinorUnits(amount, currency) as unknown as number);
}
