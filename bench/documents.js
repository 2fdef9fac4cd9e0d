// Made-up descriptions of any size, for measuring how work grows with them.

const range = (size, line) => Array.from({ length: size }, (_, at) => line(at)).join('\n')

/**
 * Documents of so many operations (for OData: sets) whose types refer to each other in one circle,
 * the worst that walks over types can meet; and of one operation, wide ones.
 */
export const documents = {
  'rest.json': (size) => rest(size, true),
  /** The same without a word of who may call. */
  'open.json': (size) => rest(size, false),
  /** One of everything, with so many things in it. */
  'wide.json'(size) {
    const many = (entry) => Array.from({ length: size }, (_, at) => entry(at))
    const berths = Object.fromEntries(
      many((at) => [
        `Berth${at}`,
        {
          allOf: [
            { $ref: '#/components/schemas/Berth' },
            { type: 'object', properties: { [`depth${at}`]: { type: 'number' } } },
          ],
        },
      ]),
    )
    const schemas = {
      Berth: {
        type: 'object',
        required: ['kind'],
        properties: { kind: { type: 'string' } },
        discriminator: { propertyName: 'kind' },
      },
      ...berths,
      Any: {
        oneOf: many((at) => ({ $ref: `#/components/schemas/Berth${at}` })),
        discriminator: { propertyName: 'kind' },
      },
      Kind: { type: 'string', enum: many((at) => `kind-${at}`) },
      Wide: {
        type: 'object',
        properties: Object.fromEntries(
          many((at) => [`member${at}`, { type: 'string', maxLength: 10 }]),
        ),
      },
    }
    const answer = {
      type: 'object',
      properties: {
        any: { $ref: '#/components/schemas/Any' },
        kind: { $ref: '#/components/schemas/Kind' },
        wide: { $ref: '#/components/schemas/Wide' },
      },
    }
    const operation = {
      operationId: 'getBerth7',
      parameters: [
        { name: 'id', in: 'path', required: true, schema: { type: 'string' } },
        ...many((at) => ({ name: `q${at}`, in: 'query', schema: { type: 'integer' } })),
      ],
      responses: {
        200: { description: 'Found.', content: { 'application/json': { schema: answer } } },
      },
    }
    return JSON.stringify(
      {
        openapi: '3.0.3',
        info: { title: 'Wide', version: '1' },
        servers: [{ url: 'http://127.0.0.1:1/' }],
        paths: { '/berths/{id}': { get: operation } },
        components: { schemas },
      },
      null,
      1,
    )
  },
  'wide.wsdl': (
    size,
  ) => `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:berths" targetNamespace="urn:berths"><types><xs:schema targetNamespace="urn:berths" elementFormDefault="qualified">
<xs:complexType name="Berth"><xs:sequence><xs:element name="code" type="xs:string"/></xs:sequence></xs:complexType>
${range(size, (at) => `<xs:complexType name="Berth${at}"><xs:complexContent><xs:extension base="t:Berth"><xs:sequence><xs:element name="depth" type="xs:int"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType><xs:element name="head${at}" type="t:Berth${at}" substitutionGroup="t:head"/>`)}
<xs:element name="head" type="t:Berth"/><xs:simpleType name="Kind"><xs:restriction base="xs:string">${range(size, (at) => `<xs:enumeration value="kind-${at}"/>`)}</xs:restriction></xs:simpleType>
<xs:element name="GetBerth7"><xs:complexType><xs:sequence><xs:element name="id" type="xs:string"/>${range(size, (at) => `<xs:element name="q${at}" type="xs:int" minOccurs="0"/>`)}</xs:sequence></xs:complexType></xs:element>
<xs:element name="GetBerth7Response"><xs:complexType><xs:sequence><xs:element ref="t:head"/><xs:element name="kind" type="t:Kind"/><xs:choice>${range(size, (at) => `<xs:element name="one${at}" type="xs:int"/>`)}</xs:choice></xs:sequence></xs:complexType></xs:element></xs:schema></types>
<message name="In"><part name="p" element="t:GetBerth7"/></message><message name="Out"><part name="p" element="t:GetBerth7Response"/></message>
<portType name="P"><operation name="GetBerth7"><input message="t:In"/><output message="t:Out"/></operation></portType>
<binding name="B" type="t:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><operation name="GetBerth7"><soap:operation soapAction="urn:7"/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation></binding>
<service name="S">${range(Math.ceil(size / 10), (at) => `<port name="P${at}" binding="t:B"><soap:address location="http://127.0.0.1:1/${at}"/></port>`)}</service></definitions>`,
  'wide.xml': (
    size,
  ) => `<edmx:Edmx Version="4.0" xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx"><edmx:DataServices><Schema Namespace="B" xmlns="http://docs.oasis-open.org/odata/ns/edm">
<EntityType Name="Berth"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.Int32" Nullable="false"/>${range(size, (at) => `<Property Name="Member${at}" Type="Edm.String"/><NavigationProperty Name="To${at}" Type="B.Berth"/>`)}</EntityType>
${range(size, (at) => `<EntityType Name="Berth${at}" BaseType="B.Berth"><Property Name="Depth${at}" Type="B.Kind"/></EntityType>`)}
<EnumType Name="Kind">${range(size, (at) => `<Member Name="Kind${at}" Value="${at}"/>`)}</EnumType>
<Annotations Target="B.C/Berths7">${range(size, (at) => `<Annotation Term="B.Said${at}" String="x"/>`)}</Annotations>
<EntityContainer Name="C"><EntitySet Name="Berths7" EntityType="B.Berth"/></EntityContainer></Schema></edmx:DataServices></edmx:Edmx>`,
  'soap.wsdl': (
    size,
  ) => `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:berths" targetNamespace="urn:berths"><types><xs:schema targetNamespace="urn:berths" elementFormDefault="qualified">
${range(
  size,
  (
    at,
  ) => `<xs:element name="GetBerth${at}"><xs:complexType><xs:sequence><xs:element name="id" type="xs:string"/></xs:sequence></xs:complexType></xs:element><xs:element name="GetBerth${at}Response"><xs:complexType><xs:sequence><xs:element name="berth" type="t:Berth${at}"/></xs:sequence></xs:complexType></xs:element>
<xs:complexType name="Berth${at}"><xs:sequence><xs:element name="code" type="xs:string"/><xs:element name="next" type="t:Berth${(at + 1) % size}" minOccurs="0"/></xs:sequence></xs:complexType>`,
)}
</xs:schema></types>
${range(size, (at) => `<message name="In${at}"><part name="p" element="t:GetBerth${at}"/></message><message name="Out${at}"><part name="p" element="t:GetBerth${at}Response"/></message>`)}
<portType name="P">${range(size, (at) => `<operation name="GetBerth${at}"><input message="t:In${at}"/><output message="t:Out${at}"/></operation>`)}</portType>
<binding name="B" type="t:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/>${range(size, (at) => `<operation name="GetBerth${at}"><soap:operation soapAction="urn:${at}"/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation>`)}</binding>
<service name="S"><port name="P" binding="t:B"><soap:address location="http://127.0.0.1:1/"/></port></service></definitions>`,
  'odata.xml': (
    size,
  ) => `<edmx:Edmx Version="4.0" xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx"><edmx:DataServices><Schema Namespace="B" xmlns="http://docs.oasis-open.org/odata/ns/edm">
${range(size, (at) => `<EntityType Name="Berth${at}"><Key><PropertyRef Name="Id"/></Key><Property Name="Id" Type="Edm.Int32" Nullable="false"/><Property Name="Code" Type="Edm.String"/><NavigationProperty Name="Next" Type="B.Berth${(at + 1) % size}"/></EntityType>`)}
<EntityContainer Name="C">${range(size, (at) => `<EntitySet Name="Berths${at}" EntityType="B.Berth${at}"><NavigationPropertyBinding Path="Next" Target="Berths${(at + 1) % size}"/></EntitySet>`)}</EntityContainer></Schema></edmx:DataServices></edmx:Edmx>`,
}

function rest(size, isSecured) {
  const ref = (at) => ({ $ref: `#/components/schemas/Berth${at % size}` })
  const each = (entry) => Object.fromEntries(Array.from({ length: size }, (_, at) => entry(at)))
  const operation = (at) => ({
    operationId: `getBerth${at}`,
    parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'string' } }],
    responses: {
      200: { description: 'Found.', content: { 'application/json': { schema: ref(at) } } },
    },
  })
  const paths = each((at) => [`/berths${at}/{id}`, { get: operation(at) }])
  const schemas = each((at) => [
    `Berth${at}`,
    {
      type: 'object',
      required: ['code'],
      properties: { code: { type: 'string' }, depth: { type: 'number' }, next: ref(at + 1) },
    },
  ])
  return JSON.stringify(
    {
      openapi: '3.0.3',
      info: { title: 'Berths', version: '1' },
      servers: [{ url: 'http://127.0.0.1:1/' }],
      ...(isSecured ? { security: [{ key: [] }] } : {}),
      paths,
      components: {
        schemas,
        ...(isSecured
          ? { securitySchemes: { key: { type: 'apiKey', in: 'header', name: 'X-Key' } } }
          : {}),
      },
    },
    null,
    1,
  )
}

/** By the ending of a document's name: an operation in it, and an input that it needs. */
export const operations = {
  json: ['getBerth7', 'id=1'],
  wsdl: ['GetBerth7', 'id=1'],
  xml: ['Berths7.get', 'key=1'],
}
