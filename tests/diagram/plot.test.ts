import { describe, expect, test } from '@jest/globals'
import { plotOf } from '../../src/diagram/plot.js'
import type { Picture, Shape } from '../../src/diagram/shapes.js'
import { svgText } from '../../src/diagram/svg.js'
import { libxml2WellFormed } from '../support/libxml2.js'

const plotted = (headings: string[], rows: string[][]): Promise<Picture> =>
  plotOf({ title: 'listTides <all> & more', subtitle: 'tide', headings, rows })
const texts = ({ shapes }: Picture): string[] =>
  shapes.flatMap((shape) => (shape.kind === 'text' ? [shape.text] : []))
const ofKind = (picture: Picture, kind: Shape['kind']): Shape[] =>
  picture.shapes.filter((shape) => shape.kind === kind)
const curves = (picture: Picture): number[] =>
  picture.shapes.flatMap((shape) =>
    shape.kind === 'line' && shape.width === 2 ? [shape.points.length] : [],
  )

describe('rows as a picture', () => {
  test.each([
    [
      'days',
      [
        ['2027-01-01', '1'],
        ['2027-01-02', '2'],
      ],
    ],
    [
      'times with offsets',
      [
        ['2027-01-01T00:00:00+02:00', '1'],
        ['2027-01-01T06:00:00Z', '2'],
      ],
    ],
    [
      'times without',
      [
        ['2027-01-01T00:00:00', '1'],
        ['2027-01-01T06:00:00', '2'],
      ],
    ],
    [
      'numbers',
      [
        ['1', '10'],
        ['2.5', '20'],
      ],
    ],
  ])('a line along %s', async (_, rows) => {
    const picture = await plotted(['At', 'Height'], rows)
    expect(curves(picture)).toEqual([2])
    expect(ofKind(picture, 'rectangle')).toEqual([])
  })

  test('whatever the order of the rows, a line goes along; what is missing leaves a gap', async () => {
    const picture = await plotted(
      ['Day', 'Height'],
      [
        ['2027-01-05', '5'],
        ['2027-01-01', '1'],
        ['2027-01-02', '2'],
        ['2027-01-03', 'null'],
        ['2027-01-04', '4'],
        ['', '9'],
      ],
    )
    expect(curves(picture)).toEqual([2, 2])
    for (const shape of ofKind(picture, 'line'))
      if (shape.kind === 'line' && shape.width === 2)
        expect((shape.points[0]?.x ?? 0) < (shape.points[1]?.x ?? 0)).toBe(true)
  })

  test('bars for names, beside each other where there are several columns; below zero they hang', async () => {
    const picture = await plotted(
      ['Berth', 'Dues', 'Costs'],
      [
        ['N-1', '10', '-5'],
        ['N-2', '', '5'],
      ],
    )
    // Two more are in the legend.
    const bars = ofKind(picture, 'rectangle')
    expect(bars).toHaveLength(5)
    expect(texts(picture)).toEqual(expect.arrayContaining(['Berth', 'Dues', 'Costs', 'N-1', 'N-2']))
    const [dues, , costs] = bars
    expect(dues?.kind === 'rectangle' && costs?.kind === 'rectangle' && dues.y < costs.y).toBe(true)
  })

  test('it is XML, whatever stands in it', async () => {
    const picture = await plotted(
      ['<a> & "b"', 'n'],
      [
        ['<x>', '1'],
        ['"', '2'],
      ],
    )
    expect(await libxml2WellFormed(svgText(picture))).toBe('')
  })

  test('no rows at all are an empty picture, and one row is a mark', async () => {
    expect(ofKind(await plotted(['Day', 'n'], []), 'rectangle')).toEqual([])
    expect(ofKind(await plotted(['Day', 'n'], [['2027-01-01', '5']]), 'circle')).toHaveLength(1)
  })

  test.each([
    [['Day'], [['2027-01-01']], 'it names 1 columns'],
    [['Day', 'a', 'b', 'c', 'd', 'e'], [], 'it names 6 columns'],
    [
      ['Day', 'Name'],
      [['2027-01-01', 'Nordkai']],
      'the column Name holds "Nordkai", which is no number',
    ],
    [['Name', 'n'], Array.from({ length: 200 }, () => ['x', '1']), '200 rows are too many bars'],
  ])('%j is refused', async (headings, rows, reason) => {
    await expect(plotted(headings, rows)).rejects.toThrow(reason)
  })
})
