"""Small files written by hand after each standard."""

from __future__ import annotations

XTCE = """<?xml version="1.0" encoding="UTF-8"?>
<SpaceSystem xmlns="http://www.omg.org/spec/XTCE/20180204" name="Buoy">
 <TelemetryMetaData>
  <ParameterTypeSet>
   <IntegerParameterType name="U3" signed="false"><IntegerDataEncoding sizeInBits="3"/></IntegerParameterType>
   <IntegerParameterType name="U8" signed="false"><IntegerDataEncoding sizeInBits="8"/></IntegerParameterType>
   <FloatParameterType name="Heat"><UnitSet><Unit>degC</Unit></UnitSet>
    <IntegerDataEncoding sizeInBits="16" encoding="twosComplement" byteOrder="leastSignificantByteFirst">
     <DefaultCalibrator><PolynomialCalibrator><Term coefficient="-5.5" exponent="0"/><Term coefficient="0.125"
      exponent="1"/></PolynomialCalibrator></DefaultCalibrator></IntegerDataEncoding>
    <ValidRangeSet><ValidRange minInclusive="-40" maxInclusive="85"/></ValidRangeSet></FloatParameterType>
   <FloatParameterType name="Bent"><IntegerDataEncoding sizeInBits="12"><DefaultCalibrator><SplineCalibrator>
    <SplinePoint raw="0" calibrated="-1"/><SplinePoint raw="4095" calibrated="99.5"/></SplineCalibrator>
    </DefaultCalibrator></IntegerDataEncoding></FloatParameterType>
   <EnumeratedParameterType name="State"><IntegerDataEncoding sizeInBits="4"/><EnumerationList>
    <Enumeration value="0" label="adrift"/><Enumeration value="1" maxValue="3" label="moored"/></EnumerationList>
   </EnumeratedParameterType>
   <BooleanParameterType name="Lamp" zeroStringValue="dark" oneStringValue="lit"><IntegerDataEncoding sizeInBits="1"/>
   </BooleanParameterType>
   <FloatParameterType name="F32"><FloatDataEncoding sizeInBits="32"/></FloatParameterType>
   <StringParameterType name="Name"><StringDataEncoding encoding="US-ASCII"><SizeInBits><TerminationChar>00
    </TerminationChar></SizeInBits></StringDataEncoding></StringParameterType>
   <StringParameterType name="Note"><StringDataEncoding><SizeInBits><LeadingSize sizeInBitsOfSizeTag="8"/></SizeInBits>
    </StringDataEncoding></StringParameterType>
   <BinaryParameterType name="Blob"><BinaryDataEncoding><SizeInBits><DynamicValue><ParameterInstanceRef
    parameterRef="count"/><LinearAdjustment slope="16" intercept="8"/></DynamicValue></SizeInBits></BinaryDataEncoding>
   </BinaryParameterType>
   <ArrayParameterType name="Swell" arrayTypeRef="U8"><DimensionList><Dimension><StartingIndex><FixedValue>0
    </FixedValue></StartingIndex><EndingIndex><DynamicValue><ParameterInstanceRef parameterRef="count"/>
    <LinearAdjustment intercept="-1"/></DynamicValue></EndingIndex></Dimension></DimensionList></ArrayParameterType>
   <IntegerParameterType name="Odd"><IntegerDataEncoding sizeInBits="12" byteOrder="leastSignificantByteFirst"/>
   </IntegerParameterType>
  </ParameterTypeSet>
  <ParameterSet>
   <Parameter name="version" parameterTypeRef="U3"/><Parameter name="state" parameterTypeRef="State"/>
   <Parameter name="lamp" parameterTypeRef="Lamp"/><Parameter name="page" parameterTypeRef="U8"/>
   <Parameter name="heat" parameterTypeRef="Heat" shortDescription="of the water"/>
   <Parameter name="tilt" parameterTypeRef="Bent"/><Parameter name="depth" parameterTypeRef="F32"/>
   <Parameter name="count" parameterTypeRef="U8"/><Parameter name="swell" parameterTypeRef="Swell"/>
   <Parameter name="name" parameterTypeRef="Name"/><Parameter name="note" parameterTypeRef="Note"/>
   <Parameter name="blob" parameterTypeRef="Blob"/><Parameter name="odd" parameterTypeRef="Odd"/>
  </ParameterSet>
  <ContainerSet>
   <SequenceContainer name="Head" abstract="true"><EntryList>
    <ParameterRefEntry parameterRef="version"/><ParameterRefEntry parameterRef="state"/>
    <ParameterRefEntry parameterRef="lamp"/><ParameterRefEntry parameterRef="page"/></EntryList></SequenceContainer>
   <SequenceContainer name="Water"><EntryList><ParameterRefEntry parameterRef="heat"/>
    <ParameterRefEntry parameterRef="tilt"><LocationInContainerInBits><FixedValue>4</FixedValue>
    </LocationInContainerInBits></ParameterRefEntry></EntryList>
    <BaseContainer containerRef="Head"><RestrictionCriteria><Comparison parameterRef="page" value="1"/>
    </RestrictionCriteria></BaseContainer></SequenceContainer>
   <SequenceContainer name="Deep"><EntryList><ParameterRefEntry parameterRef="depth"/></EntryList>
    <BaseContainer containerRef="Head"><RestrictionCriteria><ComparisonList>
     <Comparison parameterRef="page" comparisonOperator="&gt;=" value="2"/>
     <Comparison parameterRef="page" comparisonOperator="&lt;" value="5"/></ComparisonList>
    </RestrictionCriteria></BaseContainer></SequenceContainer>
   <SequenceContainer name="Log"><EntryList><ParameterRefEntry parameterRef="count"/>
    <ArrayParameterRefEntry parameterRef="swell"/><ParameterRefEntry parameterRef="name"/>
    <ParameterRefEntry parameterRef="note"/><ParameterRefEntry parameterRef="blob"/>
    <ParameterRefEntry parameterRef="odd"/><ParameterRefEntry parameterRef="missing"/>
    <IndirectParameterRefEntry/></EntryList></SequenceContainer>
  </ContainerSet>
 </TelemetryMetaData>
 <CommandMetaData/>
</SpaceSystem>
"""

_PROPS = "SW-DATA-DEF-PROPS-VARIANTS><SW-DATA-DEF-PROPS-CONDITIONAL"
_END = "</SW-DATA-DEF-PROPS-CONDITIONAL></SW-DATA-DEF-PROPS-VARIANTS>"


def _signal(name: str, width: int, refers: str) -> str:
    return f"""<SYSTEM-SIGNAL><SHORT-NAME>{name}_s</SHORT-NAME><PHYSICAL-PROPS><{_PROPS}>{refers}{_END}</PHYSICAL-PROPS>
    </SYSTEM-SIGNAL><I-SIGNAL><SHORT-NAME>{name}</SHORT-NAME><LENGTH>{width}</LENGTH>
    <SYSTEM-SIGNAL-REF DEST="SYSTEM-SIGNAL">/Tug/{name}_s</SYSTEM-SIGNAL-REF></I-SIGNAL>"""


def _mapped(name: str, start: int, order: str) -> str:
    return f"""<I-SIGNAL-TO-I-PDU-MAPPING><SHORT-NAME>m_{name}</SHORT-NAME><I-SIGNAL-REF DEST="I-SIGNAL">/Tug/{name}
    </I-SIGNAL-REF><PACKING-BYTE-ORDER>MOST-SIGNIFICANT-BYTE-{order}</PACKING-BYTE-ORDER><START-POSITION>{start}
    </START-POSITION></I-SIGNAL-TO-I-PDU-MAPPING>"""


def _pdu(name: str, size: int, *mapped: str) -> str:
    return f"""<I-SIGNAL-I-PDU><SHORT-NAME>{name}</SHORT-NAME><LENGTH>{size}</LENGTH><I-SIGNAL-TO-PDU-MAPPINGS>
    {"".join(mapped)}</I-SIGNAL-TO-PDU-MAPPINGS></I-SIGNAL-I-PDU>"""


def _frame(name: str, pdu: str, kind: str) -> str:
    return f"""<CAN-FRAME><SHORT-NAME>{name}</SHORT-NAME><FRAME-LENGTH>8</FRAME-LENGTH><PDU-TO-FRAME-MAPPINGS>
    <PDU-TO-FRAME-MAPPING><SHORT-NAME>m</SHORT-NAME><PDU-REF DEST="{kind}">/Tug/{pdu}</PDU-REF>
    <START-POSITION>0</START-POSITION></PDU-TO-FRAME-MAPPING></PDU-TO-FRAME-MAPPINGS></CAN-FRAME>"""


def _triggered(frame: str, identifier: int, mode: str) -> str:
    return f"""<CAN-FRAME-TRIGGERING><SHORT-NAME>t_{frame}</SHORT-NAME><FRAME-REF DEST="CAN-FRAME">/Tug/{frame}
    </FRAME-REF><CAN-ADDRESSING-MODE>{mode}</CAN-ADDRESSING-MODE><IDENTIFIER>{identifier}</IDENTIFIER>
    </CAN-FRAME-TRIGGERING>"""


_LINEAR = '<COMPU-METHOD-REF DEST="COMPU-METHOD">/Tug/Linear</COMPU-METHOD-REF><UNIT-REF DEST="UNIT">/Tug/kN</UNIT-REF>'
AUTOSAR = f"""<?xml version="1.0" encoding="UTF-8"?>
<AUTOSAR xmlns="http://autosar.org/schema/r4.0"><AR-PACKAGES><AR-PACKAGE><SHORT-NAME>Tug</SHORT-NAME><ELEMENTS>
<UNIT><SHORT-NAME>kN</SHORT-NAME><DISPLAY-NAME>kN</DISPLAY-NAME></UNIT>
<SW-BASE-TYPE><SHORT-NAME>s16</SHORT-NAME><BASE-TYPE-ENCODING>2C</BASE-TYPE-ENCODING></SW-BASE-TYPE>
<DATA-CONSTR><SHORT-NAME>Limits</SHORT-NAME><DATA-CONSTR-RULES><DATA-CONSTR-RULE><PHYS-CONSTRS>
 <LOWER-LIMIT INTERVAL-TYPE="CLOSED">-50</LOWER-LIMIT><UPPER-LIMIT INTERVAL-TYPE="CLOSED">800.5</UPPER-LIMIT>
 </PHYS-CONSTRS></DATA-CONSTR-RULE></DATA-CONSTR-RULES></DATA-CONSTR>
<COMPU-METHOD><SHORT-NAME>Linear</SHORT-NAME><CATEGORY>LINEAR</CATEGORY><COMPU-INTERNAL-TO-PHYS><COMPU-SCALES>
 <COMPU-SCALE><COMPU-RATIONAL-COEFFS><COMPU-NUMERATOR><V>-10</V><V>1</V></COMPU-NUMERATOR><COMPU-DENOMINATOR><V>3</V>
 </COMPU-DENOMINATOR></COMPU-RATIONAL-COEFFS></COMPU-SCALE></COMPU-SCALES></COMPU-INTERNAL-TO-PHYS></COMPU-METHOD>
<COMPU-METHOD><SHORT-NAME>Modes</SHORT-NAME><CATEGORY>TEXTTABLE</CATEGORY><COMPU-INTERNAL-TO-PHYS><COMPU-SCALES>
 <COMPU-SCALE><LOWER-LIMIT>0</LOWER-LIMIT><UPPER-LIMIT>0</UPPER-LIMIT><COMPU-CONST><VT>off</VT></COMPU-CONST>
 </COMPU-SCALE><COMPU-SCALE><LOWER-LIMIT>1</LOWER-LIMIT><UPPER-LIMIT>6</UPPER-LIMIT><COMPU-CONST><VT>haul</VT>
 </COMPU-CONST></COMPU-SCALE></COMPU-SCALES></COMPU-INTERNAL-TO-PHYS></COMPU-METHOD>
{
    _signal(
        "pull",
        16,
        '<BASE-TYPE-REF DEST="SW-BASE-TYPE">/Tug/s16</BASE-TYPE-REF>'
        + _LINEAR
        + '<DATA-CONSTR-REF DEST="DATA-CONSTR">/Tug/Limits</DATA-CONSTR-REF>',
    )
}
{_signal("speed", 12, "")}
{_signal("mode", 3, '<COMPU-METHOD-REF DEST="COMPU-METHOD">/Tug/Modes</COMPU-METHOD-REF>')}
{_signal("page", 4, "")}{_signal("rope", 16, "")}{_signal("oil", 8, "")}
{
    _pdu(
        "Pull",
        5,
        _mapped("pull", 7, "FIRST"),
        _mapped("speed", 16, "LAST"),
        _mapped("mode", 29, "LAST"),
        _mapped("nowhere", 0, "LAST"),
    )
}
{_pdu("Static", 8, _mapped("page", 0, "LAST"))}{_pdu("Page1", 8, _mapped("rope", 8, "LAST"))}
{_pdu("Page2", 8, _mapped("oil", 8, "LAST"))}
<MULTIPLEXED-I-PDU><SHORT-NAME>Pages</SHORT-NAME><LENGTH>8</LENGTH><DYNAMIC-PARTS><DYNAMIC-PART>
 <DYNAMIC-PART-ALTERNATIVES><DYNAMIC-PART-ALTERNATIVE><I-PDU-REF DEST="I-SIGNAL-I-PDU">/Tug/Page1</I-PDU-REF>
 <SELECTOR-FIELD-CODE>1</SELECTOR-FIELD-CODE></DYNAMIC-PART-ALTERNATIVE><DYNAMIC-PART-ALTERNATIVE>
 <I-PDU-REF DEST="I-SIGNAL-I-PDU">/Tug/Page2</I-PDU-REF><SELECTOR-FIELD-CODE>2</SELECTOR-FIELD-CODE>
 </DYNAMIC-PART-ALTERNATIVE></DYNAMIC-PART-ALTERNATIVES></DYNAMIC-PART></DYNAMIC-PARTS>
 <SELECTOR-FIELD-BYTE-ORDER>MOST-SIGNIFICANT-BYTE-LAST</SELECTOR-FIELD-BYTE-ORDER>
 <SELECTOR-FIELD-LENGTH>4</SELECTOR-FIELD-LENGTH><SELECTOR-FIELD-START-POSITION>0</SELECTOR-FIELD-START-POSITION>
 <STATIC-PARTS><STATIC-PART><I-PDU-REF DEST="I-SIGNAL-I-PDU">/Tug/Static</I-PDU-REF></STATIC-PART></STATIC-PARTS>
</MULTIPLEXED-I-PDU>
{_frame("Winch", "Pull", "I-SIGNAL-I-PDU")}{_frame("WinchPages", "Pages", "MULTIPLEXED-I-PDU")}
{_frame("Silent", "Pull", "I-SIGNAL-I-PDU")}
<CAN-CLUSTER><SHORT-NAME>c</SHORT-NAME><CAN-CLUSTER-VARIANTS><CAN-CLUSTER-CONDITIONAL><PHYSICAL-CHANNELS>
 <CAN-PHYSICAL-CHANNEL><SHORT-NAME>ch</SHORT-NAME><FRAME-TRIGGERINGS>{_triggered("Winch", 448, "STANDARD")}
 {_triggered("WinchPages", 0x18FF1234, "EXTENDED")}</FRAME-TRIGGERINGS></CAN-PHYSICAL-CHANNEL></PHYSICAL-CHANNELS>
</CAN-CLUSTER-CONDITIONAL></CAN-CLUSTER-VARIANTS></CAN-CLUSTER>
</ELEMENTS></AR-PACKAGE></AR-PACKAGES></AUTOSAR>
"""

THING = """{
 "@context": ["https://www.w3.org/2022/wot/td/v1.1", {"modv": "https://www.w3.org/2019/wot/modbus#"}],
 "title": "Bilge pump", "base": "modbus+tcp://192.0.2.7:502/3/", "security": ["none"],
 "securityDefinitions": {"none": {"scheme": "nosec"}},
 "properties": {
  "level": {"type": "number", "unit": "mm", "minimum": 0, "maximum": 900.5, "forms": [{"href": "10?quantity=2",
   "modv:entity": "HoldingRegister", "modv:zeroBasedAddressing": true, "modv:type": "xsd:float",
   "modv:mostSignificantWord": false}]},
  "flow": {"type": "integer", "description": "out", "forms": [{"href": "12", "modv:function": "readHoldingRegisters",
   "modv:zeroBasedAddressing": true, "modv:type": "xsd:short", "modv:mostSignificantByte": false}]},
  "mode": {"type": "integer", "oneOf": [{"const": 0, "title": "off"}, {"const": 1, "title": "on"}], "forms": [
   {"href": "modbus+tcp://192.0.2.7:502/3/40001?quantity=1", "modbus:entity": "InputRegister"}]},
  "alarm": {"type": "boolean", "forms": [{"href": "5", "modv:entity": "Coil", "modv:zeroBasedAddressing": true}]},
  "web": {"type": "number", "forms": [{"href": "https://192.0.2.7/web"}]},
  "vague": {"type": "number", "forms": [{"href": "77"}]},
  "long": {"type": "string", "forms": [{"href": "1?quantity=900", "modv:entity": "HoldingRegister"}]}
 },
 "actions": {"start": {}}
}
"""
