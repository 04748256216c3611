"""Readers of lines: known files written by hand, both byte orders, what is broken, and any mutation of a good file."""

import json
import struct
import wave

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.captures import vcd
from zesty_abacus.core.captures.column_guess import guess_columns
from zesty_abacus.core.captures.columns import Columns
from zesty_abacus.core.captures.reference import read_reference, unit_of
from zesty_abacus.core.captures.registry import read_lines, read_recording, recognise
from zesty_abacus.core.captures.report import CaptureReadError
from zesty_abacus.core.errors import MisuseError


def read(tmp_path, file, content, **how):
    path = tmp_path / file
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return read_lines(path, tmp_path / f"{file}.columns", **how)


def toggles(channel):
    return list(zip(channel.edges.time_ns.tolist(), channel.edges.level.tolist(), strict=True))


DUMP = """$date 2026-05-12 08:00:00 $end
$timescale 100 ps $end
$scope module top $end
$var wire 1 ! clk $end
$scope module inner $end
$var wire 4 " bus [3:0] $end
$upscope $end
$var real 64 # volt $end
$upscope $end
$enddefinitions $end
#0
$dumpvars
0! b0 " r1.5 #
$end
#100
1! b1010 "
$comment nothing of note #99 1! $end
#200
0! bx01 "
#300
$dumpoff
x!
$end
#500
$dumpon
1! r-2.5e3 #
$end
#1000
"""


class TestVcd:
    def test_every_part_of_a_dump(self, tmp_path):
        recording, report = read(tmp_path, "a.vcd", DUMP)
        by_name = {channel.name: channel for channel in recording.channels}
        assert list(by_name) == ["clk", "inner.bus[3]", "inner.bus[2]", "inner.bus[1]", "inner.bus[0]", "volt"]
        assert toggles(by_name["clk"]) == [(10, 1), (20, 0), (50, 1)]
        assert by_name["clk"].edges.unknown.tolist() == [[30, 50]]
        assert toggles(by_name["inner.bus[1]"]) == [(10, 1), (20, 0)]
        assert by_name["inner.bus[3]"].edges.unknown.tolist() == [[20, 100]], "a short x fills the bits above it"
        assert by_name["volt"].samples.values.tolist() == [1.5, -2500.0]
        assert by_name["volt"].samples.rate_hz == 20_000_000.0, "two values 50 ns apart"
        assert recording.zero_ns == 1_778_572_800_000_000_000 and recording.span_ns == (0, 100)
        assert report.problem_count == 0

    def test_how_it_is_cut_into_chunks_does_not_matter(self, tmp_path, monkeypatch):
        whole, _ = read(tmp_path, "a.vcd", DUMP)
        for size in (7, 31, 64):
            monkeypatch.setattr(vcd.ByteSource.chunks, "__defaults__", (size,))
            parts, _ = read(tmp_path, f"{size}.vcd", DUMP)
            for one, other in zip(whole.channels[:5], parts.channels[:5], strict=True):
                assert toggles(one) == toggles(other)

    @pytest.mark.parametrize(("scale", "tick"), [("1 us", 1000), ("10 ns", 10), ("1 ms", 10**6), ("1ps", 0.001)])
    def test_timescales(self, tmp_path, scale, tick):
        text = f"$timescale {scale} $end $var wire 1 ! a $end $enddefinitions $end\n#0 0!\n#3000 1!\n#9000\n"
        recording, _ = read(tmp_path, "a.vcd", text)
        assert toggles(recording.channels[0]) == [(round(3000 * tick), 1)] and recording.span_ns[1] == round(
            9000 * tick
        )

    def test_what_is_broken_stands_with_its_place(self, tmp_path):
        text = "$timescale 1 ns $end $var wire 1 ! a $end $enddefinitions $end\n#0 0!\n#5 1?\n#9 1!\n#4 0!\nhm\n"
        recording, report = read(tmp_path, "a.vcd", text)
        reasons = [problem.reason for problem in report.problems]
        assert reasons == ["an identifier that no variable has", "time goes back", "a value without its variable"]
        assert text[int(report.problems[0].place.split()[1]) :].startswith("1?")
        assert toggles(recording.channels[0]) == [(9, 1), (9, 0)]

    def test_the_place_of_what_is_broken_counts_from_the_begin_of_the_file_however_long_it_is(self, tmp_path):
        head = "$timescale 1 ns $end $var wire 1 ! a $end $enddefinitions $end\n"
        body = "".join(f"#{number} {number % 2}!\n" for number in range(80_000))
        _, report = read(tmp_path, "a.vcd", f"{head}{body}#80000 1?\n#80001 0!\n")
        assert len(head + body) > 3 * vcd.CHUNK
        assert [one.place for one in report.problems] == [f"byte {len(head + body) + len('#80000 ')}"]

    @pytest.mark.parametrize(
        ("text", "words"),
        [
            ("$timescale 1 ns $end $var wire 1 ! a $end", "ends inside its declarations"),
            ("(12.5) can0 1A0#00", "does not begin as a value change dump does"),
            ("$timescale 1 ns $end $enddefinitions $end", "no variable"),
            ("$var wire 1 ! a $end $enddefinitions $end", "no timescale"),
            ("$timescale 1 ns $end $var wire 9999 ! a $end " * 9 + "$enddefinitions $end", "more than"),
        ],
    )
    def test_a_dump_without_its_head_says_so(self, tmp_path, text, words):
        with pytest.raises(CaptureReadError, match=words):
            read(tmp_path, "a.vcd", text, name="VCD")

    @given(st.lists(st.tuples(st.integers(1, 10**6), st.integers(0, 2), st.sampled_from("01xz")), max_size=40))
    def test_changes_come_back(self, tmp_path_factory, changes):
        now, lines, wanted = 0, [], {0: [], 1: [], 2: []}
        for step, line, level in changes:
            now += step
            lines.append(f"#{now}\n{level}{'!%&'[line]}")
            if level in "01":
                wanted[line].append((now, int(level)))
        text = (
            "$timescale 1 ns $end $var wire 1 ! a $end $var wire 1 % b $end $var wire 1 & c $end $enddefinitions $end\n"
        )
        recording, _ = read(tmp_path_factory.mktemp("vcd"), "a.vcd", text + "\n".join(lines) + "\n")
        for line, channel in enumerate(recording.channels):
            kept = [c for n, c in enumerate(wanted[line]) if n and c[1] != wanted[line][n - 1][1]]
            assert toggles(channel) == kept


class TestTables:
    def test_semicolons_and_decimal_commas(self, tmp_path):
        rows = "".join(f"{n * 0.00002:.5f};{3.3 * (n % 2):.2f};{n / 100:.2f}\n" for n in range(300)).replace(".", ",")
        recording, report = read(tmp_path, "a.csv", "# scope\nZeit time;scl;sda\ns;V;V\n" + rows)
        assert [channel.name for channel in recording.channels] == ["scl", "sda"]
        samples = recording.channels[1].samples
        assert samples.rate_hz == pytest.approx(50_000) and samples.stamps_ns is None
        assert samples.physical(0, 300)[-1] == pytest.approx(2.99) and report.problem_count == 0

    def test_noughts_and_ones_are_edges(self, tmp_path):
        text = "time_us,clk,data\n" + "".join(f"{n},{n % 2},{n // 3 % 2}\n" for n in range(50))
        recording, _ = read(tmp_path, "a.csv", text)
        assert [channel.words for channel in recording.channels] == ["digital", "digital"]
        assert toggles(recording.channels[1])[:3] == [(3000, 1), (6000, 0), (9000, 1)]
        assert toggles(recording.channels[0])[:3] == [(1000, 1), (2000, 0), (3000, 1)], "from the first row on"

    def test_uneven_times_are_kept_as_they_are(self, tmp_path):
        times = np.cumsum(np.random.default_rng(1).integers(1, 400, 200)) / 1e6
        text = "time,v\n" + "".join(f"{t:.6f},{n * 0.5}\n" for n, t in enumerate(times))
        samples = read(tmp_path, "a.csv", text)[0].channels[0].samples
        assert samples.stamps_ns.tolist() == [round(t * 1e9) for t in times]
        assert samples.time_of(10) == round(times[10] * 1e9)

    def test_a_date_in_the_time_column_is_the_recordings_zero(self, tmp_path):
        text = "t,v\n" + "".join(f"{1778572800 + n * 1e-6:.6f},{n * 0.25}\n" for n in range(50))
        recording, _ = read(tmp_path, "a.csv", text)
        assert recording.zero_ns == 1_778_572_800_000_000_000 and recording.channels[0].samples.begin_ns == 0

    def test_a_date_and_a_time_of_day_between_blanks_are_one_time(self, tmp_path):
        text = "".join(f"2026-05-12 08:00:00.{n:06} {n * 0.5}  {n * 0.25}\n" for n in range(50))
        recording, report = read(tmp_path, "a.txt", text)
        assert recording.zero_ns == 1_778_572_800_000_000_000 and report.problem_count == 0
        assert [channel.samples.values[2] for channel in recording.channels] == [1.0, 0.5]
        assert recording.channels[0].samples.time_of(49) == 49_000

    def test_without_a_time_column_a_rate_has_to_be_given(self, tmp_path):
        text = "".join(f"{n * 0.5} {n * 0.25}\n" for n in range(40, 0, -1))
        columns = Columns(separator=" ", names=("a", "b"), roles=("channel", "channel"))
        with pytest.raises(CaptureReadError, match="no sample rate"):
            read(tmp_path, "a.txt", text, name="sample table", columns=columns)
        given_rate = Columns(separator=" ", names=("a", "b"), roles=("ignore", "channel"), rate_hz=2e6)
        recording, _ = read(tmp_path, "a.txt", text, name="sample table", columns=given_rate)
        assert [channel.name for channel in recording.channels] == ["b"]
        assert recording.channels[0].samples.end_ns == 19_500

    def test_cells_and_rows_that_are_wrong_stand_with_their_line(self, tmp_path):
        rows = [f"{n * 1e-5:.5f},{n * 0.5}" for n in range(40)]
        rows[10], rows[20] = "0.00010,oops", "0.00020"
        _, report = read(tmp_path, "a.csv", "time,v\n" + "\n".join(rows) + "\n")
        assert [(p.place, p.reason) for p in report.problems] == [
            ("line 22", "1 columns, not 2"), ("line 12, column v", "'oops' is no number"),
        ]  # fmt: skip

    def test_a_choice_that_cannot_be_used_is_refused(self):
        for columns, words in (
            (Columns(roles=("time", "time")), "2 columns have the role time"),
            (Columns(roles=("tame",)), "role='tame'"),
            (Columns(separator=",", decimal=","), "cannot be told apart"),
            (Columns(time_unit="h"), "time_unit='h'"),
        ):
            with pytest.raises(MisuseError, match=words):
                columns.check()

    def test_what_is_no_table_is_not_guessed(self):
        assert guess_columns("") is None and guess_columns("hello\nworld\n") is None
        frames = guess_columns("Time,Bus,ID,Len,Data\n0.1,can0,1A0,3,01 02 03\n0.2,can1,1A1,1,07\n")
        assert frames.roles == ("time", "lane", "address", "size", "payload")

    def test_a_reference_is_slow_and_read_with_its_units(self, tmp_path):
        path = tmp_path / "gnss.csv"
        path.write_text("time_s,lat_deg,speed_kn\n" + "".join(f"{n * 0.2:.1f},43.2,{n / 7:.3f}\n" for n in range(30)))
        assert recognise(path) == "reference table"
        reference = read_reference(path)
        assert np.diff(reference.time_ns).mean() == pytest.approx(2e8) and list(reference.values) == [
            "lat_deg",
            "speed_kn",
        ]
        assert unit_of("speed_kn") == "kn" and unit_of("speed (m/s)") == "m/s"


class TestWav:
    @pytest.mark.parametrize(("width", "scale"), [(1, 2**7), (2, 2**15), (3, 2**23), (4, 2**31)])
    def test_every_width_and_several_channels(self, tmp_path, width, scale):
        values = [(-0.5, 0.25), (0.75, -1.0)] * 50
        with wave.open(str(tmp_path / "a.wav"), "wb") as file:
            file.setnchannels(2)
            file.setsampwidth(width)
            file.setframerate(48_000)
            for pair in values:
                for value in pair:
                    raw = int(value * scale) + (128 if width == 1 else 0)
                    file.writeframes(raw.to_bytes(width, "little", signed=width > 1))
        recording, report = read_lines(tmp_path / "a.wav", tmp_path / "c")
        left, right = (channel.samples for channel in recording.channels)
        assert left.physical(0, 2).tolist() == pytest.approx([-0.5, 0.75], abs=1e-7)
        assert right.physical(0, 2).tolist() == pytest.approx([0.25, -1.0], abs=1e-7)
        assert (left.rate_hz, len(left), report.problem_count) == (48_000, 100, 0)

    def test_floats_and_the_extensible_form(self, tmp_path):
        data = np.array([0.5, -0.25], "<f4").tobytes()
        for tag in (3, 0xFFFE):
            form = struct.pack("<HHIIHH", tag, 1, 1000, 4000, 4, 32)
            if tag == 0xFFFE:
                form += struct.pack("<HHIH", 22, 32, 0, 3) + bytes(14)
            chunks = b"fmt " + struct.pack("<I", len(form)) + form + b"data" + struct.pack("<I", len(data)) + data
            content = b"RIFF" + struct.pack("<I", 4 + len(chunks)) + b"WAVE" + chunks
            recording, _ = read(tmp_path, f"{tag}.wav", content)
            assert recording.channels[0].samples.physical(0, 2).tolist() == [0.5, -0.25]

    def test_a_recorder_that_was_stopped_hard(self, tmp_path):
        form = struct.pack("<HHIIHH", 1, 1, 1000, 2000, 2, 16)
        head = b"RIFF\0\0\0\0WAVEfmt " + struct.pack("<I", 16) + form + b"data\xff\xff\xff\x7f"
        recording, report = read(tmp_path, "a.wav", head + bytes(11))
        assert len(recording.channels[0].samples) == 5
        assert "are there" in report.problems[0].reason and "inside a sample" in report.problems[1].reason

    def test_what_is_missing_is_said(self, tmp_path):
        form = b"fmt " + struct.pack("<IHHIIHH", 16, 1, 1, 1000, 2000, 2, 16)
        for chunks, words in (
            (b"", "format chunk is missing"), (form, "data chunk is missing"), (b"data\0\0\0\0", "before their format"),
            (form.replace(b"\x10\0" + b"", b"\x10\0")[:-2] + b"\x07\0data\x04\0\0\0abcd", "is not read"),
            (form + b"data\0\0\0\0", "no samples"),
        ):  # fmt: skip
            with pytest.raises(CaptureReadError, match=words):
                read(tmp_path, "a.wav", b"RIFF\0\0\0\0WAVE" + chunks)
        for begins in (b"", b"RIFF\0\0\0\0AVI ", b"RIFX\0\0\0\0WAVE"):
            with pytest.raises(CaptureReadError, match="does not begin as a WAV file does"):
                read(tmp_path, "a.wav", begins + form + b"data\4\0\0\0abcd", name="WAV")


class TestSigMf:
    def written(self, tmp_path, data, datatype, **more):
        (tmp_path / "a.sigmf-data").write_bytes(data)
        meta = {
            "global": {"core:datatype": datatype, "core:sample_rate": 1e6, **more},
            "captures": [],
            "annotations": [],
        }
        (tmp_path / "a.sigmf-meta").write_text(json.dumps(meta))
        return tmp_path / "a.sigmf-meta"

    @pytest.mark.parametrize(
        ("datatype", "dtype", "raw", "wanted"),
        [
            ("cf32_le", "<f4", [0.5, -0.25], [0.5, -0.25]), ("cf32_be", ">f4", [0.5, -0.25], [0.5, -0.25]),
            ("ci16_le", "<i2", [16384, -8192], [0.5, -0.25]), ("ci16_be", ">i2", [16384, -8192], [0.5, -0.25]),
            ("ci8", "i1", [64, -32], [0.5, -0.25]), ("cu8", "u1", [191, 96], [63.5 / 128, -31.5 / 128]),
        ],
    )  # fmt: skip
    def test_every_form_of_samples_in_both_byte_orders(self, tmp_path, datatype, dtype, raw, wanted):
        path = self.written(tmp_path, np.array(raw * 8, dtype).tobytes(), datatype)
        samples = read_lines(path, tmp_path)[0].channels[0].samples
        ((_, chunk),) = samples.chunks()
        assert samples.is_iq and len(samples) == 8
        assert (chunk[3] * samples.scale + samples.offset).tolist() == pytest.approx(wanted)

    def test_either_file_opens_it_with_date_and_notes(self, tmp_path):
        path = self.written(tmp_path, bytes(400), "ci8")
        meta = json.loads(path.read_text())
        meta["captures"] = [{"core:frequency": 433.92e6, "core:datetime": "2026-05-12T08:00:00Z"}]
        meta["annotations"] = [{"core:sample_start": 20, "core:sample_count": 30, "core:label": "pressed"},
                               {"core:sample_start": 900, "core:sample_count": 1}]  # fmt: skip
        path.write_text(json.dumps(meta))
        for one in (path, path.with_suffix(".sigmf-data")):
            recording, report = read_lines(one, tmp_path)
            assert recording.zero_ns == 1_778_572_800_000_000_000
            ((note),) = recording.annotations
            assert (note.first_ns, note.last_ns, note.text) == (20_000, 50_000, "pressed")
            assert report.problems[0].place == "annotations[1]" and ("tuned to", "433.92 MHz") in recording.facts

    def test_what_is_missing_is_said(self, tmp_path):
        with pytest.raises(CaptureReadError, match="core:datatype='x'"):
            read_lines(self.written(tmp_path, bytes(8), "x"), tmp_path)
        path = self.written(tmp_path, bytes(8), "ci8", **{"core:sample_rate": "fast"})
        with pytest.raises(CaptureReadError, match="sample_rate='fast'"):
            read_lines(path, tmp_path)
        self.written(tmp_path, b"", "ci8")
        with pytest.raises(CaptureReadError, match="no samples"):
            read_lines(path, tmp_path)
        (tmp_path / "a.sigmf-data").unlink()
        with pytest.raises(CaptureReadError, match="cannot be opened"):
            read_lines(path, tmp_path)


class TestPulseText:
    @pytest.mark.parametrize(
        "text", ["pulse 350\nspace 1050\npulse 1050\nspace 350\npulse 350\nspace 9000\n",
                 "+350 -1050 +1050 -350 +350 -9000\n", "# remote\n350 1050 1050 350 350 9000\n"],
    )  # fmt: skip
    def test_three_ways_to_write_the_same(self, tmp_path, text):
        recording, report = read(tmp_path, "a.pulses", text)
        assert toggles(recording.channels[0]) == [
            (0, 1), (350_000, 0), (1_400_000, 1), (2_450_000, 0), (2_800_000, 1), (3_150_000, 0),
        ]  # fmt: skip
        assert recording.span_ns[1] == 12_150_000 and report.problem_count == 0

    def test_what_is_no_length_is_listed(self, tmp_path):
        recording, report = read(tmp_path, "a.pulses", "+350 -1050 oops +350 -350 +350 -350\n", name="pulse lengths")
        assert report.problems[0].place == "byte 11" and len(recording.channels[0].edges) == 6
        with pytest.raises(CaptureReadError, match="no length"):
            read(tmp_path, "b.pulses", "# nothing\n", name="pulse lengths")


class TestBytesWithBlanks:
    @pytest.mark.parametrize("separator", ["\t", ";", ",", "|"])
    @pytest.mark.parametrize("payload", ["01 02 03 04 05 06 07 08", "0x01 0x02", "01-02-03", "0102"])
    @pytest.mark.parametrize("more", [(), ("pump one",)])
    def test_a_payload_is_one_column_however_its_bytes_are_apart(self, separator, payload, more):
        names = separator.join(("time", "id", *["name"] * len(more), "data"))
        row = separator.join(("1A0", *more, payload))
        columns = guess_columns(names + "\n" + "".join(f"{n}.5{separator}{row}\n" for n in range(20)))
        assert columns.separator == separator
        assert columns.roles == ("time", "address", *["ignore"] * len(more), "payload")

    def test_columns_between_blanks_are_still_found(self):
        columns = guess_columns("time id data\n" + "".join(f"{n}.5 1A0 0102\n" for n in range(20)))
        assert (columns.separator, columns.roles) == (" ", ("time", "address", "payload"))
        columns = guess_columns("t a b\n" + "".join(f"{n},5 {n % 3},25 1,5\n" for n in range(20)))
        assert (columns.separator, columns.decimal, columns.roles) == (" ", ",", ("time", "channel", "channel"))

    def test_such_a_table_is_read(self, tmp_path):
        path = tmp_path / "bus.csv"
        path.write_text("time,id,data\n" + "".join(f"{n}.5,1A0,01 02 03 04 05 06 07 {n:02X}\n" for n in range(20)))
        tables = []
        report = read_recording(path, lambda table, _lanes: tables.append(table))
        assert (report.format_name, report.problem_count) == ("frame table", 0)
        assert [tables[0].payload_of(n) for n in (0, 19)] == [b"\1\2\3\4\5\6\7\0", b"\1\2\3\4\5\6\7\x13"]


class TestQuotes:
    @pytest.mark.parametrize("separator", [",", ";", "\t"])
    def test_a_separator_in_quotes_separates_nothing(self, separator):
        said = f'"level 3{separator} ""full"""'
        text = separator.join(("time", "id", "data", "note")) + "\n"
        text += "".join(separator.join((f"{n}.5", "1A0", "01 02", said)) + "\n" for n in range(5))
        columns = guess_columns(text)
        assert (columns.separator, columns.roles) == (separator, ("time", "address", "payload", "ignore"))

    def test_quotes_that_do_not_close_cut_nothing_off(self):
        columns = guess_columns('time,id,data\n1.0,1A0,01\n2.0,1A0,02\n3.0,"1A0,03\n4.0,1A0,04\n' + "5.0,1A0,05\n" * 20)
        assert columns.roles == ("time", "address", "payload")


class TestLimits:
    @pytest.mark.parametrize("more", ["", "$var wire 1 e e $end "])
    def test_as_many_bits_are_declared_as_a_dump_may_have(self, tmp_path, more):
        variables = "".join(f"$var wire 1024 {name} {name} $end " for name in "abcd")
        text = f"$timescale 1 ns $end {variables}{more}$enddefinitions $end\n#0\nb1 a\n#10\nb0 a\n"
        if more:
            with pytest.raises(CaptureReadError, match="4097 bits are declared, more than 4096"):
                read(tmp_path, "a.vcd", text)
        else:
            assert len(read(tmp_path, "a.vcd", text)[0].channels) == 4096

    def test_of_a_variable_that_is_too_wide_the_lowest_bits_are_read_and_it_is_told(self, tmp_path):
        word = "1" + "0" * 1100 + "101"
        text = f"$timescale 1 ns $end $var wire 2000 ! w $end $enddefinitions $end\n#0\nb0 !\n#10\nb{word} !\n#20\n"
        recording, report = read(tmp_path, "a.vcd", text)
        assert [(one.place, one.reason) for one in report.problems] == [
            ("w", "of its 2000 bits the lowest 1024 are read")
        ]
        assert len(recording.channels) == 1024
        rising = [one.name for one in recording.channels if toggles(one)]
        assert rising == ["w[2]", "w[0]"]

    @pytest.mark.parametrize("place", [0, 4095, 4096, 4999])
    def test_one_value_that_is_neither_nought_nor_one_makes_a_channel_analog(self, tmp_path, place):
        values = [n % 2 for n in range(5000)]
        values[place] = 0.5
        text = "time_us,v\n" + "".join(f"{n},{value}\n" for n, value in enumerate(values))
        (channel,) = read(tmp_path, "a.csv", text)[0].channels
        assert channel.words != "digital" and channel.samples.physical(place, place + 1).tolist() == [0.5]
