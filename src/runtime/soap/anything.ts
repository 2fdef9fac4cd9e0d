import type { SimpleCodec } from './codec.js'
import { base64Binary, boolean, byte, date, dateTime, decimal, double, duration, float, gregorianDay, gregorianMonth, gregorianYear, hexBinary, int, integer, long, monthDay, normalizedText, qualifiedName, short, text, time, token, unsignedByte, unsignedInt, unsignedLong, unsignedShort, uri, yearMonth } from './simple.js'

/** The simple types of XML Schema by their names, for values whose type only the message says. */
export const simpleTypes: Readonly<Record<string, SimpleCodec<unknown>>> = {
  string: text, normalizedString: normalizedText, token, language: token, Name: token, NCName: token, NMTOKEN: token, ID: token, IDREF: token, ENTITY: token, anyURI: uri, anySimpleType: text, boolean, decimal, integer,
  nonPositiveInteger: integer, negativeInteger: integer, nonNegativeInteger: integer, positiveInteger: integer, long, int, short, byte, unsignedLong, unsignedInt, unsignedShort, unsignedByte, float, double, duration, dateTime,
  time, date, gYearMonth: yearMonth, gYear: gregorianYear, gMonthDay: monthDay, gMonth: gregorianMonth, gDay: gregorianDay, hexBinary, base64Binary, QName: qualifiedName,
}
