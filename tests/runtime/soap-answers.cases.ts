import { expect } from '@jest/globals'

/** Answers as the contract has them. */
export const answerCases: [string, string, unknown][] = [
  [
    'repeated-choice',
    '<v><n:Title>T</n:Title><n:Crane>1</n:Crane><n:Berth>a</n:Berth><n:Pause i:nil="true"/><n:Crane>2</n:Crane><n:End>2026-11-23</n:End></v>',
    {
      Title: 'T',
      $items: [{ Crane: 1 }, { Berth: 'a' }, { Pause: null }, { Crane: 2 }],
      End: '2026-11-23',
    },
  ],
  [
    'repeated-sequence',
    '<v><n:Time>06:00:00</n:Time><n:Height>1.2</n:Height><n:Note>low</n:Note><n:Time>12:00:00</n:Time><n:Height>4.0</n:Height></v>',
    {
      $items: [
        { Time: '06:00:00', Height: '1.2', Note: 'low' },
        { Time: '12:00:00', Height: '4.0' },
      ],
    },
  ],
  ['nested-choices', '<v><n:Name>x</n:Name><n:Buoy>B</n:Buoy></v>', { Name: 'x', Buoy: 'B' }],
  ['optional-sequence', '<v><n:Vessel>x</n:Vessel></v>', { Vessel: 'x' }],
  ['shared-alternatives', '<v><n:Box>7</n:Box><n:Town>B</n:Town></v>', { Box: 7, Town: 'B' }],
  [
    'named-groups',
    '<v By="me"><n:No>x</n:No><n:Kind>k</n:Kind><n:Amount>1e3</n:Amount><n:Kind>l</n:Kind><n:Amount>-INF</n:Amount></v>',
    {
      No: 'x',
      $items: [
        { Kind: 'k', Amount: 1000 },
        { Kind: 'l', Amount: -Infinity },
      ],
      By: 'me',
    },
  ],
  [
    'same-element-twice',
    '<v Via="3"><n:Stop>a</n:Stop><n:Via>b</n:Via><n:Stop>c</n:Stop></v>',
    { Stop: 'a', Via: 'b', Stop_: 'c', Via_: 3 },
  ],
  ['any-order', '<v><n:Flag>NO</n:Flag><n:Beam>2.0</n:Beam></v>', { Flag: 'NO', Beam: '2.0' }],
  [
    'mixed',
    '<v lang="en">Moor at <n:berth code="b1">North<!-- c --> Quay</n:berth>, <![CDATA[<]]>now<n:strong>!</n:strong></v>',
    {
      $items: [
        'Moor at ',
        { berth: { $text: 'North Quay', code: 'b1' } },
        ', <now',
        { strong: '!' },
      ],
      lang: 'en',
    },
  ],
  [
    'mixed-sequence',
    '<v>Dear <n:Salutation>S</n:Salutation>, you owe <n:Sum>1.50</n:Sum>.</v>',
    { $items: ['Dear ', { Salutation: 'S' }, ', you owe ', { Sum: '1.50' }, '.'] },
  ],
  [
    'substitution',
    '<v><n:Remark><n:At>2026-11-23T00:00:00Z</n:At><n:Words>w</n:Words></n:Remark><n:Arrival><n:At>2026-11-23T01:00:00</n:At><n:Draught>3</n:Draught></n:Arrival></v>',
    {
      Event: [
        { Remark: expect.objectContaining({ At: '2026-11-23T00:00:00Z', Words: 'w' }) },
        { Arrival: { $is: 'Arrival', At: '2026-11-23T01:00:00', Draught: '3' } },
      ],
    },
  ],
  [
    'unions',
    '<v Grade="1.5"><n:Main>small</n:Main><n:Others>5 large 2026-11-23</n:Others><n:Few>1</n:Few></v>',
    { Main: 'small', Others: [5, 'large', '2026-11-23'], Few: '1', Grade: '1.5' },
  ],
  [
    'list-facets',
    '<v Names="a b"><n:Three> 1 2\n3 </n:Three><n:Known>3 4</n:Known><n:Even>2 4</n:Even></v>',
    { Three: [1, 2, 3], Known: [3, 4], Even: [2, 4], Names: ['a', 'b'] },
  ],
  [
    'value-facets',
    '<v><n:Step>10</n:Step><n:Price>1.5</n:Price><n:Season>2026-09-30</n:Season><n:Key>00ff00FF</n:Key><n:Big>9007199254740995</n:Big></v>',
    {
      Step: 10,
      Price: '1.5',
      Season: '2026-09-30',
      Key: new Uint8Array([0, 255, 0, 255]),
      Big: 9007199254740995n,
    },
  ],
  [
    'restricted-record',
    '<v><n:Who i:type="n:Sailor" Id="4"><n:Name>x</n:Name><n:Rank>1</n:Rank></n:Who><n:Owner><n:Name>y</n:Name></n:Owner></v>',
    { Who: { $is: 'Sailor', Name: 'x', Rank: 1, Id: 4 }, Owner: { $is: 'Named', Name: 'y' } },
  ],
  [
    'restricted-text',
    '<v><n:Total Currency="NOK" Rounded="1">-1.555</n:Total><n:Fee Currency="NOK">2.50</n:Fee></v>',
    {
      Total: { $is: 'Sum', $text: '-1.555', Currency: 'NOK', Rounded: true },
      Fee: { $is: 'Fee', $text: '2.50', Currency: 'NOK' },
    },
  ],
  [
    'wildcards',
    '<v><x:A xmlns:x="urn:x" y="1">t<x:B/></x:A><n:Last>z</n:Last></v>',
    {
      $open: {
        elements: [
          { name: '{urn:x}A', attributes: { y: '1' }, content: ['t', { name: '{urn:x}B' }] },
        ],
      },
      Last: 'z',
    },
  ],
  [
    'wildcard-own',
    '<v q="2"><n:First>a</n:First><n:Known>5</n:Known></v>',
    {
      First: 'a',
      $open: {
        elements: [{ name: '{urn:brackmouth:wildcard-own}Known', content: ['5'] }],
        attributes: { q: '2' },
      },
    },
  ],
  [
    'wildcard-repeated',
    '<v><n:Row>1</n:Row><x:A xmlns:x="urn:x"/><n:Row>2</n:Row></v>',
    { $items: [{ Row: 1 }, { $open: { elements: [{ name: '{urn:x}A' }] } }, { Row: 2 }] },
  ],
  [
    'attributes',
    '<v n:Plain="p" Unqualified="2" n:Fixed="yes" n:Many="a b" n:Mark="5"/>',
    { Plain: 'p', Unqualified: 2, Fixed: 'yes', Many: ['a', 'b'], Mark: 5 },
  ],
  [
    'unqualified',
    '<v><Local>l</Local><n:Told>t</n:Told><n:Global>3</n:Global></v>',
    { Local: 'l', Told: 't', Global: 3 },
  ],
  [
    'nothing-and-null',
    '<v><n:B i:nil="1"/><n:D i:nil="true"/><n:E>1</n:E><n:E i:nil="true"/></v>',
    { B: null, D: null, E: [1, null] },
  ],
  [
    'inheritance',
    '<v><n:At i:type="n:Dock"><n:Name>d</n:Name><n:Length>9</n:Length><n:Gate>g</n:Gate></n:At><n:Also i:type="n:Quay" Code="q"><n:Name>e</n:Name><n:Length>1</n:Length></n:Also></v>',
    {
      At: { $is: 'Dock', Name: 'd', Length: 9, Gate: 'g' },
      Also: [{ $is: 'Quay', Name: 'e', Length: 1, Code: 'q' }],
    },
  ],
  [
    'anonymous',
    '<v><n:Crew><n:Name>a</n:Name><n:Papers Kind="pass"/></n:Crew><n:Flag>DK</n:Flag></v>',
    { Crew: [{ Name: 'a', Papers: { Kind: 'pass' } }], Flag: 'DK' },
  ],
  [
    'recursion',
    '<v><n:Name>a</n:Name><n:Part><n:Name>b</n:Name><n:Next><n:To><n:Name>c</n:Name></n:To></n:Next></n:Part></v>',
    { Name: 'a', Part: [{ Name: 'b', Next: { To: { Name: 'c' } } }] },
  ],
  [
    'odd-names',
    '<v n:Value="6"><n:Berth_x0020_No>1</n:Berth_x0020_No><n:class>c</n:class><n:Kind/><n:Kind>a</n:Kind><n:Kind>A</n:Kind><n:größe.max>2</n:größe.max></v>',
    { BerthNo: 1, class: 'c', Kind: ['', 'a', 'A'], 'größe.max': 2, Value: 6 },
  ],
  [
    'wrapped-lists',
    '<v xmlns:a="urn:brackmouth:arrays"><n:Codes><a:string>x</a:string><a:string i:nil="true"/></n:Codes><n:Rows><a:Row n="1"/></n:Rows></v>',
    { Codes: ['x', null], Rows: [{ n: 1 }] },
  ],
  [
    'two-namespaces',
    '<v xmlns:b="urn:brackmouth:second"><n:Name>n</n:Name><b:Name>5</b:Name><n:Home><n:Name>h</n:Name></n:Home><n:Far><b:X>1</b:X><b:Depth>2</b:Depth></n:Far></v>',
    expect.objectContaining({ Name: 'n', Name_: 5, Home: { Name: 'h' } }),
  ],
  [
    'no-namespace',
    '<v><Bare>1</Bare><n:Own><Inside>i</Inside></n:Own></v>',
    { Bare: 1, Own: { Inside: 'i' } },
  ],
  [
    'redefined',
    '<v First="1" Second="2"><n:Home Kind="k" Checked="true"><n:Town>t</n:Town><n:Zip>0570</n:Zip><n:Country>NO</n:Country></n:Home><n:One>1</n:One><n:More>m</n:More></v>',
    {
      Home: { Town: 't', Zip: '0570', Country: 'NO', Kind: 'k', Checked: true },
      One: 1,
      More: 'm',
      First: 1,
      Second: 2,
    },
  ],
  [
    'chameleon',
    '<v><n:Part><n:Kind>rope</n:Kind><n:Weight>1</n:Weight></n:Part></v>',
    [{ Kind: 'rope', Weight: '1' }],
  ],
  [
    'circular',
    '<v xmlns:b="urn:brackmouth:circular:b" xmlns:c="urn:brackmouth:circular:c"><n:Near>1</n:Near><n:Far><b:Deep><c:Back><b:Deep/></c:Back></b:Deep></n:Far></v>',
    { Near: 1, Far: { Deep: { Back: { Deep: {} } } } },
  ],
  [
    'sum-of-choices',
    '<v><n:Cash>1</n:Cash><n:Day>2026-11-23</n:Day><n:Key>k</n:Key><n:Text>t</n:Text><n:Tag>g</n:Tag></v>',
    { Cash: '1', Day: '2026-11-23', $items: [{ Key: 'k', Text: 't' }, { Tag: 'g' }] },
  ],
  [
    'group-in-group',
    '<v><n:Day>2026-11-23</n:Day><n:In>a</n:In><n:Out>b</n:Out><n:Day>2026-11-24</n:Day></v>',
    {
      $items: [{ Day: '2026-11-23', $items: [{ In: 'a' }, { Out: 'b' }] }, { Day: '2026-11-24' }],
    },
  ],
  ['xml-schema-import', '<v><n:Text> a\tb </n:Text></v>', { Text: ' a b ' }],
  [
    'any-type',
    '<v Mark="m"><n:Any i:type="s:date">2026-11-23</n:Any><n:Untyped>x</n:Untyped><n:Simple i:type="s:long">5</n:Simple><n:Many i:type="n:Berth"><n:Code>c</n:Code></n:Many><n:Many><a b="1">t</a></n:Many></v>',
    {
      Any: { $is: 'xs:date', $text: '2026-11-23' },
      Untyped: 'x',
      Simple: 5n,
      Many: [
        { $is: 'Berth', Code: 'c' },
        {
          name: '{urn:brackmouth:any-type}Many',
          content: [{ name: 'a', attributes: { b: '1' }, content: ['t'] }],
        },
      ],
      Mark: 'm',
    },
  ],
]

/** Answers that do not keep to the contract, and what is told of them. */
export const disorderlyCases: [string, string, string, unknown, string[]][] = [
  [
    'members in another order',
    'optional-sequence',
    '<v><n:To>2026-02-01</n:To><n:From>2026-01-01</n:From><n:Vessel>x</n:Vessel></v>',
    { Vessel: 'x', From: '2026-01-01', To: '2026-02-01' },
    [
      'value.From comes in another order than the contract says',
      'value.Vessel comes in another order than the contract says',
    ],
  ],
  [
    'no namespace where one was promised',
    'shared-alternatives',
    '<v><Street>s</Street><Town>t</Town></v>',
    { Street: 's', Town: 't' },
    [
      'value.Street is in no namespace, where the contract promised "urn:brackmouth:shared-alternatives"',
      'value.Town is in no namespace, where the contract promised "urn:brackmouth:shared-alternatives"',
    ],
  ],
  [
    'a namespace where none was promised',
    'unqualified',
    '<v><n:Local>l</n:Local><n:Told>t</n:Told><n:Global>3</n:Global></v>',
    { Local: 'l', Told: 't', Global: 3 },
    [
      'value.Local is in the namespace "urn:brackmouth:unqualified", where the contract promised none',
    ],
  ],
  [
    'default namespaces, and comments inside a value',
    'circular',
    '<v xmlns="urn:brackmouth:circular"><Near>1<!-- x -->2<?p i?></Near></v>',
    { Near: 12 },
    [],
  ],
  [
    'xsi:type without its prefix',
    'inheritance',
    '<v><n:At i:type="Quay"><n:Name>e</n:Name><n:Length>1</n:Length></n:At></v>',
    { At: { $is: 'Quay', Name: 'e', Length: 1 } },
    ['value.At names its type "Quay" without the right namespace'],
  ],
  [
    'xsi:type in the default namespace',
    'inheritance',
    '<v xmlns="urn:brackmouth:inheritance"><At i:type="Quay"><Name>e</Name><Length>1</Length></At></v>',
    { At: { $is: 'Quay', Name: 'e', Length: 1 } },
    [],
  ],
  [
    'a type that nobody knows',
    'restricted-record',
    '<v><n:Who i:type="n:Pirate"><n:Name>x</n:Name></n:Who></v>',
    { Who: { $is: 'Person', Name: 'x' } },
    ['value.Who is of the type "n:Pirate", which the contract does not know here'],
  ],
  [
    'empty elements for null, for nothing and for an empty list',
    'nothing-and-null',
    '<v><n:A/><n:B/><n:C> </n:C><n:D/></v>',
    { B: null, C: null, D: '' },
    [
      'value.A is empty, where the contract promised a value or nothing at all',
      'value.B is empty, where the contract promised a value or nothing at all',
      'value.C is empty, where the contract promised a value or nothing at all',
    ],
  ],
  [
    'a list wrapper that is empty, and one that is missing',
    'wrapped-lists',
    '<v><n:Codes/></v>',
    { Codes: [] },
    [],
  ],
  ['a list wrapper that was promised', 'wrapped-lists', '<v/>', {}, ['value.Codes is missing']],
  [
    'items under another name',
    'wrapped-lists',
    '<v xmlns:a="urn:brackmouth:arrays"><n:Codes><a:text>x</a:text></n:Codes></v>',
    { Codes: ['x'] },
    ['value.Codes.text is an item of a list whose items are called "string"'],
  ],
  [
    'elements and attributes that nobody declared',
    'shared-alternatives',
    '<v x="1"><n:Street>s</n:Street><n:Town>t</n:Town><n:New>2</n:New></v>',
    {
      Street: 's',
      Town: 't',
      $open: {
        attributes: { x: '1' },
        elements: [{ name: '{urn:brackmouth:shared-alternatives}New', content: ['2'] }],
      },
    },
    ['value.@x is not in the contract', 'value.New is not in the contract'],
  ],
  [
    'a value outside the enumeration, one outside its range',
    'chameleon',
    '<v><n:Part><n:Kind>wire</n:Kind><n:Weight>1</n:Weight></n:Part></v>',
    [{ Kind: 'wire', Weight: '1' }],
    ['value.Part.Kind "wire" is not one of the contract\'s values'],
  ],
  [
    'out of range',
    'value-facets',
    '<v><n:Season>2027-01-01</n:Season></v>',
    { Season: '2027-01-01' },
    ['value.Season must be less than 2026-10-01, is "2027-01-01"'],
  ],
  [
    'one element more than once',
    'any-order',
    '<v><n:Beam>1</n:Beam><n:Flag>f</n:Flag><n:Flag>g</n:Flag></v>',
    {
      Beam: '1',
      Flag: 'f',
      $open: { elements: [{ name: '{urn:brackmouth:any-order}Flag', content: ['g'] }] },
    },
    ['value.Flag comes more than once'],
  ],
  [
    'turns of a group before what comes first',
    'repeated-choice',
    '<v><n:Crane>1</n:Crane><n:Title>T</n:Title><n:End>2026-11-23</n:End></v>',
    { $items: [{ Crane: 1 }], Title: 'T', End: '2026-11-23' },
    ['value.Title comes in another order than the contract says'],
  ],
  [
    'a value of no type in the union',
    'unions',
    '<v><n:Main>huge</n:Main><n:Others/></v>',
    { Main: 'huge', Others: [] },
    ['value.Main "huge" is of none of the types that the contract promised'],
  ],
  [
    'one object in two places',
    'restricted-text',
    '<v><n:Total id="a" Currency="NOK">1</n:Total><n:Fee href="#a"/></v>',
    expect.objectContaining({ Fee: expect.objectContaining({ $text: '1' }) }),
    expect.arrayContaining([
      expect.stringContaining('refers to another element'),
    ]) as unknown as string[],
  ],
]
