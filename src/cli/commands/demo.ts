import type { Command } from 'commander'
import { pc } from '../colours.js'
import { openDemo } from '../../app/demo-world.js'
import { globalsOf, run } from '../run.js'
import { print } from '../terminal.js'

interface Step {
  readonly say: string
  readonly words: readonly string[]
  /** The exit code that the step is meant to have. */
  readonly exit?: number
}

export function declare(command: Command): void {
  command
    .addHelpText('after', '\nExamples:\n  tolmach demo\n  tolmach demo ./try-it')
    .action(async (folder: string | undefined) => {
      globalsOf(command)
      const demo = await openDemo(folder ?? 'brackmouth')
      print(
        pc.bold(
          'The Port of Brackmouth, a made-up harbour: a berth desk with a SOAP service, ferries with a REST service, a vessel register and a cargo ledger with OData services.',
        ),
      )
      print(
        `Stand-ins play all four on this machine while this runs. What you see is left in ${demo.folder}/.`,
      )
      process.chdir(demo.folder)
      try {
        for (const step of [
          ...berthSteps(demo.metadata.berths),
          ...ferrySteps(demo.metadata.ferries),
          ...registrySteps(demo.services.registry),
          ...cargoSteps(demo.metadata.cargo),
        ]) {
          print(
            `\n${pc.dim('─'.repeat(72))}\n${step.say}\n${pc.cyan('$')} ${pc.bold(['tolmach', ...step.words].map(shellWord).join(' '))}\n`,
          )
          const exit = await run(step.words)
          if (exit !== (step.exit ?? 0))
            throw new Error(`the demo's step "tolmach ${step.words.join(' ')}" ended with ${exit}`)
          if (exit !== 0) print(pc.dim(`(exit code ${exit})`))
        }
      } finally {
        await demo.stop()
      }
      process.exitCode = 0
      print(
        `\n${pc.dim('─'.repeat(72))}\nThat was all. To go on by yourself:\n\n  cd ${demo.folder}\n  tolmach serve berths --port 4801\n  tolmach call berths listBerths --url http://127.0.0.1:4801/berths      (in another terminal)`,
      )
    })
}

function berthSteps(metadata: string): Step[] {
  return [
    {
      say: "Read the service's metadata and keep a copy of it in the project.",
      words: ['import', metadata, '--as', 'berths'],
    },
    { say: 'What is in it?', words: ['show', 'berths'] },
    {
      say: 'One operation in full: what goes in, what comes out, what can go wrong.',
      words: ['show', 'berths', 'reserveBerth'],
    },
    { say: 'Write the TypeScript client.', words: ['generate', 'berths'] },
    {
      say: 'Call it: the berths of one basin, as a table of a few columns.',
      words: [
        'call',
        'berths',
        'listBerths',
        '--with',
        'Basin=South',
        '--columns',
        'Code, Name, Dues=Per night, FreeFrom=Free from',
      ],
    },
    {
      say: 'Money stays exact, to the last zero.',
      words: ['call', 'berths', 'quoteDues', '--with', 'Vessel=BKM-114', '--with', 'Nights=3'],
    },
    {
      say: 'An input to start from, which satisfies the contract, with what it says of each field.',
      words: ['sample', 'berths', 'reserveBerth', '--format', 'yaml'],
    },
    {
      say: 'What would be sent? (Nothing is.)',
      words: [
        'call',
        'berths',
        'reserveBerth',
        '--input',
        'samples/berths/reserveBerth.json',
        '--preview',
      ],
    },
    {
      say: 'Reserve a berth for a tug.',
      words: ['call', 'berths', 'reserveBerth', '--input', 'samples/berths/reserveBerth.json'],
    },
    {
      say: 'Once more: the berth is taken now, and the service says so with a fault that the contract declares.',
      words: ['call', 'berths', 'reserveBerth', '--input', 'samples/berths/reserveBerth.json'],
      exit: 1,
    },
    {
      say: 'An input that does not satisfy the contract is not sent at all.',
      words: ['call', 'berths', 'quoteDues', '--with', 'Vessel=Polaire', '--with', 'Nights=90'],
      exit: 2,
    },
    {
      say: "Move the vessel; the reservation's number is longer than a double can hold.",
      words: [
        'call',
        'berths',
        'moveVessel',
        '--with',
        'Number=9007199254741000',
        '--with',
        'Berth=S-5',
      ],
    },
    {
      say: 'List the reservations, and see it there.',
      words: [
        'call',
        'berths',
        'listReservations',
        '--columns',
        'Number, Berth, Vessel.Name=Vessel, Arrival, Dues, state=State',
      ],
    },
    {
      say: 'Cancel it; and see it gone.',
      words: ['call', 'berths', 'cancelReservation', '--with', 'Number=9007199254741000'],
    },
    {
      say: 'A call for each row of a file; one of them is not sent.',
      words: [
        'call',
        'berths',
        'quoteDues',
        '--each',
        'samples/berths/stays.csv',
        '--fill',
        'Vessel=Ship, Nights',
        '--parallel',
        '4',
        '--columns',
        'Amount=Dues, validUntil=Until',
      ],
      exit: 6,
    },
    {
      say: 'The whole round trip as a rehearsal: before and after, and all as it was.',
      words: ['rehearse', 'rehearsals/reserve.yaml', '--save', 'reserve.html'],
    },
    {
      say: 'The answer as JSON, for scripts.',
      words: ['call', 'berths', 'listReservations', '--with', 'Berth=S-5', '--json'],
    },
  ]
}

function ferrySteps(metadata: string): Step[] {
  return [
    {
      say: 'Now the ferries, described by OpenAPI in two documents. The commands are the same.',
      words: ['import', metadata, '--as', 'ferries'],
    },
    {
      say: 'One operation: an answer that differs by status, and a payload of one of several shapes.',
      words: ['show', 'ferries', 'bookings.pay'],
    },
    { say: 'Write its client.', words: ['generate', 'ferries'] },
    {
      say: 'Search, with a list and an object in the query.',
      words: [
        'call',
        'ferries',
        'sailings.search',
        '--with',
        'days=["2027-07-15"]',
        '--with',
        'room.cars=1',
        '--columns',
        'code, line, leaves, freeCars=Room for cars, fares.adult=Adult',
      ],
    },
    {
      say: 'Book; the number comes back with every digit.',
      words: [
        'call',
        'ferries',
        'bookings.create',
        '--input',
        'samples/ferries/createBooking.yaml',
      ],
    },
    {
      say: 'List, and see it there.',
      words: [
        'call',
        'ferries',
        'bookings.list',
        '--columns',
        'number, sailing, lead.name=Name, vehicle.kind=Vehicle, price, state',
      ],
    },
    {
      say: 'A sailing that is full: a declared answer with the status 409.',
      words: [
        'call',
        'ferries',
        'bookings.create',
        '--input',
        'samples/ferries/createBooking.yaml',
        '--with',
        'body.sailing=BRK-0716',
      ],
      exit: 1,
    },
    {
      say: 'Change it; cancel it; see it gone.',
      words: [
        'call',
        'ferries',
        'bookings.change',
        '--with',
        'number=9007199254740998',
        '--with',
        'body.remark=Two bicycles on the roof',
      ],
    },
    {
      say: 'Cancel.',
      words: ['call', 'ferries', 'bookings.cancel', '--with', 'number=9007199254740998'],
    },
    {
      say: 'Gone.',
      words: ['call', 'ferries', 'bookings.get', '--with', 'number=9007199254740998'],
      exit: 1,
    },
  ]
}

function registrySteps(service: string): Step[] {
  const made = 'key=9007199254741060'
  return [
    {
      say: 'The vessel register speaks OData 4: its service root is enough.',
      words: ['import', service, '--as', 'registry'],
    },
    {
      say: 'Its sets, each with what can be done; functions and actions beside them.',
      words: ['show', 'registry'],
    },
    {
      say: 'Look for something, in names and in what is said about them.',
      words: ['show', 'registry', '--find', 'clear vessel'],
    },
    {
      say: 'A picture of the model, to zoom and search in; open it in a browser.',
      words: ['diagram', 'registry', 'registry.html'],
    },
    {
      say: 'A part of it for a document: what hangs together with a survey, kept as a view.',
      words: [
        'diagram',
        'registry',
        'surveys.pdf',
        '--around',
        'Survey',
        '--steps',
        '1',
        '--towards',
        'down',
        '--view',
        'surveys',
      ],
    },
    {
      say: 'Everything in one page to browse, and to hand on.',
      words: ['show', 'registry', '--save', 'registry-reference.html'],
    },
    {
      say: 'Write its client: queries are typed by what each entity has.',
      words: ['generate', 'registry'],
    },
    {
      say: 'Where is what? The generated code, and the metadata that it came from.',
      words: ['locate', 'registry', 'Vessel.Flag'],
    },
    {
      say: 'Ask: which ones, with what hangs off them, in which order.',
      words: [
        'call',
        'registry',
        'Vessels.list',
        '--with',
        "filter=Length gt 90 and Kind ne Brackmouth.Registry.VesselKind'Tug'",
        '--with',
        'expand=Owner',
        '--with',
        'orderBy=Length desc',
        '--columns',
        'Name, Kind, Length, Flag, Owner.Name=Owner',
      ],
    },
    {
      say: 'Reckon: a row for each flag, the longest vessel and how many there are.',
      words: [
        'call',
        'registry',
        'Vessels.aggregate',
        '--with',
        "filter=Flag ne 'GB'",
        '--with',
        'groupBy=Flag',
        '--with',
        'measures.Vessels=count',
        '--with',
        'measures.Longest.of=Length',
        '--with',
        'measures.Longest.by=max',
      ],
    },
    {
      say: 'What lies inside a vessel has its own address: the pages of her log.',
      words: [
        'call',
        'registry',
        'VesselsLog.list',
        '--with',
        'of=9007199254740993',
        '--columns',
        'Page, Written, Text',
      ],
    },
    {
      say: 'A filter that names an unknown property is not sent.',
      words: ['call', 'registry', 'Vessels.list', '--with', 'filter=Lenght gt 90'],
      exit: 2,
    },
    {
      say: 'Enter a vessel. The service makes its number, longer than a double can hold.',
      words: [
        'call',
        'registry',
        'Vessels.create',
        '--input',
        'samples/registry/createVessel.yaml',
      ],
    },
    {
      say: 'List what its owner has, counted, and see it there.',
      words: [
        'call',
        'registry',
        'Vessels.list',
        '--with',
        'filter=OwnerNumber eq 9007199254741005',
        '--with',
        'select=Number,CallSign,Name,Length',
        '--with',
        'count=true',
      ],
    },
    {
      say: 'Give it another name: an action of one vessel.',
      words: ['call', 'registry', 'Vessels.Rename', '--with', made, '--with', 'name=Breite & Höhe'],
    },
    {
      say: 'Change it; only what is named is sent.',
      words: [
        'call',
        'registry',
        'Vessels.update',
        '--with',
        made,
        '--with',
        'body.Draught=3.25',
        '--with',
        'select=Name,Draught,FormerNames',
        '--traffic',
      ],
    },
    {
      say: 'Only if nobody changed it meanwhile: this ETag is an old one.',
      words: [
        'call',
        'registry',
        'Vessels.update',
        '--with',
        made,
        '--with',
        'body.Tonnage=77',
        '--with',
        'ifMatch=W/"old"',
      ],
      exit: 1,
    },
    {
      say: 'Delete it; and see it gone.',
      words: ['call', 'registry', 'Vessels.delete', '--with', made],
    },
    { say: 'Gone.', words: ['call', 'registry', 'Vessels.get', '--with', made], exit: 1 },
    {
      say: 'A port call has a key of two parts.',
      words: [
        'call',
        'registry',
        'PortCalls.get',
        '--with',
        'key.VesselNumber=9007199254740997',
        '--with',
        'key.Call=1',
        '--with',
        'expand=[{"Vessel": {"select": ["Name", "Flag"]}}]',
      ],
    },
  ]
}

function cargoSteps(metadata: string): Step[] {
  return [
    {
      say: 'The cargo ledger is older: OData 2. Nothing is different at the prompt.',
      words: ['import', metadata, '--as', 'cargo'],
    },
    { say: 'Write its client.', words: ['generate', 'cargo'] },
    {
      say: 'Its dates are numbers on the wire; here they are dates.',
      words: [
        'call',
        'cargo',
        'Crates.list',
        '--with',
        'filter=Weight gt 600M',
        '--with',
        'orderBy=Weight desc',
        '--columns',
        'Number, Contents, Weight, Landed, Place.Quay=Quay',
      ],
    },
    {
      say: 'Enter a crate; see it as the service has it, with its ship.',
      words: ['call', 'cargo', 'Crates.create', '--input', 'samples/cargo/createCrate.yaml'],
    },
    {
      say: 'Get it.',
      words: [
        'call',
        'cargo',
        'Crates.get',
        '--with',
        'key=9007199254743021',
        '--with',
        'expand=Ship',
        '--with',
        'select=Number,Weight,Ship/Name',
      ],
    },
    {
      say: 'What the crane says counts: a function import.',
      words: [
        'call',
        'cargo',
        'Weigh',
        '--with',
        'Number=9007199254743021',
        '--with',
        'Weight=96.450',
        '--preview',
      ],
    },
    {
      say: 'Delete it.',
      words: ['call', 'cargo', 'Crates.delete', '--with', 'key=9007199254743021'],
    },
    {
      say: 'All rehearsals at once, with a report for build servers.',
      words: [
        'rehearse',
        'rehearsals/reserve.yaml',
        'rehearsals/book.yaml',
        'rehearsals/enter.yaml',
        'rehearsals/crate.yaml',
        '--junit',
        'rehearsals.xml',
        '--quiet',
      ],
    },
    { say: 'The contracts of this project.', words: ['list'] },
  ]
}

function shellWord(word: string): string {
  return /^[\w./:=@%+,-]+$/.test(word) ? word : `"${word.replace(/(["$`\\])/g, '\\$1')}"`
}
