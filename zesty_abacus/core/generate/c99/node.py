"""A program that sends: a main, a scheduler, and a source for each field. POSIX.1-2008 beside C99."""

from __future__ import annotations

from collections.abc import Mapping

from ...frames import flags as F
from ...layouts.model import Counter
from ..carried_fields import CarriedField
from ..language import KEEP_BEGIN, KEEP_END
from ..node import HOOK, SOURCES, Feed, Link, MessageSources, Sources, full_sources, write_sources
from ..project import Project
from .message import MessageWriter
from .numbers import floating, unsigned
from .terms import comment

_BODY = "    "


def node_files(project: Project, writers: list[MessageWriter]) -> dict[str, str]:
    """Return the files of the program by name."""
    assert project.link is not None, "it sends somewhere"
    reached = [writer for writer in writers if project.link.reaches(writer.message)]
    sources = full_sources([writer.message for writer in reached], project.sources, SOURCES)
    prefix = project.prefix
    return {
        f"{prefix}_node.c": _program(project, project.link, reached, sources),
        f"{prefix}_hooks.h": _hooks_header(project, reached, sources),
        f"{prefix}_hooks.c": _hooks(project, reached, sources),
        "Makefile": _makefile(project), SOURCES: write_sources(sources),
    }  # fmt: skip


def _hooked(writer: MessageWriter, sources: Mapping[str, MessageSources]) -> list[CarriedField]:
    told = sources[writer.message.layout.name].fields
    return [one for one in writer.message.fields if told.get(one.field.name) == HOOK]


def _hook_name(project: Project, writer: MessageWriter, one: CarriedField) -> str:
    return f"{project.prefix}_hook_{writer.message.name}_{one.name}"


def _hooks_header(project: Project, writers: list[MessageWriter], sources: Sources) -> str:
    upper = f"{project.prefix}_hooks".upper()
    lines = [f"/* {comment(project.head)} */", "", f"#ifndef {upper}_H", f"#define {upper}_H", ""]
    for writer in writers:
        for one in _hooked(writer, sources):
            unit = f" in {comment(one.field.unit)}" if one.field.unit else ""
            lines.append(f"/* {comment(one.field.name)} of {comment(writer.message.layout.name)}{unit} */")
            lines.append(f"double {_hook_name(project, writer, one)}(double seconds);")
    return "\n".join([*lines, "", "#endif", ""])


def _hooks(project: Project, writers: list[MessageWriter], sources: Sources) -> str:
    prefix = project.prefix
    lines = [
        f"/* {comment(project.head)}", "   What stands between the marks is yours and stays. */", "",
        f'#include "{prefix}_hooks.h"', "", f"/* {KEEP_BEGIN} top */", f"/* {KEEP_END} top */",
        # a translation unit without a declaration is none
        "", f"extern int {prefix}_hooks_are_here;", f"int {prefix}_hooks_are_here = 1;",
    ]  # fmt: skip
    for writer in writers:
        for one in _hooked(writer, sources):
            name = _hook_name(project, writer, one)
            own = [f"/* {KEEP_BEGIN} {name} */", "(void)seconds;", "return 0.0;", f"/* {KEEP_END} {name} */"]
            lines += ["", f"double {name}(double seconds)", "{", *(_BODY + line for line in own), "}"]
    return "\n".join([*lines, ""])


def _makefile(project: Project) -> str:
    prefix = project.prefix
    files = f"{prefix}_node.c {prefix}_hooks.c {prefix}.c"
    return (
        f"# {project.head}\nCFLAGS ?= -std=c99 -O2 -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror\n\n"
        f"{prefix}_node: {files} {prefix}.h {prefix}_hooks.h\n\t$(CC) $(CFLAGS) -o $@ {files} -lm\n\n"
        f".PHONY: clean\nclean:\n\trm -f {prefix}_node\n"
    )


def _program(project: Project, link: Link, writers: list[MessageWriter], sources: Sources) -> str:
    prefix = project.prefix
    makers = [line for writer in writers for line in _maker(project, writer, sources)]
    entries = [f"{_BODY}{{{_quoted(writer.message.layout.name)}, {_address(writer)}, {_flags(writer)}, "
               f"{sources[writer.message.layout.name].every_ms}L * 1000000L, {writer.terms.name.upper()}_SIZE, "
               f"make_{writer.message.name}}}," for writer in writers]  # fmt: skip
    largest = max([1, *(writer.message.size_of_all for writer in writers)])
    return _TEMPLATE.format(
        head=comment(project.head), prefix=prefix, includes=_INCLUDES_CAN if link.interface else _INCLUDES_UDP,
        makers="\n".join(makers), entries="\n".join(entries), count=len(entries), largest=largest,
        link=_link_text(link), random=_RANDOM if any("between(" in line for line in makers) else "",
    )  # fmt: skip


def _maker(project: Project, writer: MessageWriter, sources: Sources) -> list[str]:
    """Return the function that makes one message; its struct stays, so that counters go on."""
    terms = writer.terms
    name = writer.message.name
    told = sources[writer.message.layout.name].fields
    body = [f"static {terms.struct} made;"]
    for one in writer.message.fields:
        source = told.get(one.field.name)
        if source is None:
            continue
        value = _value(project, writer, one, source)
        body.append(f"(void){terms.name}_set_{one.name}(&made, {value});")
    counted = [check.field for check in writer.message.layout.checks if isinstance(check, Counter)]
    for one in (one for one in writer.message.fields if one.field.id in counted and one.is_number):
        body.append(f"{terms.name}_count_{one.name}(&made);")
    uses = any("seconds" in line for line in body)
    body += [] if uses else ["(void)seconds;"]
    body.append(f"return {terms.name}_pack(data, size, &made);")
    return [f"static int make_{name}(uint8_t *data, size_t size, double seconds)", "{",
            *(_BODY + line for line in body), "}", ""]  # fmt: skip


def _value(project: Project, writer: MessageWriter, one: CarriedField, source: Feed | str) -> str:
    if isinstance(source, str):
        return f"{_hook_name(project, writer, one)}(seconds)"
    if source.constant is not None:
        return floating(source.constant)
    if source.random is not None:
        return f"between({floating(source.random[0])}, {floating(source.random[1])})"
    raise AssertionError("one of the two is given")


def _address(writer: MessageWriter) -> str:
    return unsigned(writer.message.address if writer.message.layout.applies.is_for_one_address else 0, 32)


def _flags(writer: MessageWriter) -> str:
    applies = writer.message.layout.applies
    return "true" if applies.protocol == "can" and applies.extended else "false"


def _quoted(text: str) -> str:
    return '"' + comment(text).replace('"', "'") + '"'


def _link_text(link: Link) -> str:
    if link.interface:
        return _CAN.replace("@INTERFACE@", link.interface)
    kind = _UDP_FRAMES.replace("@EXTENDED@", unsigned(F.EXTENDED, 32)) if link.frames else _UDP_PAYLOAD
    return _UDP.replace("@HOST@", link.host).replace("@PORT@", str(link.port)).replace("@SEND@", kind)


_INCLUDES_CAN = "#include <linux/can.h>\n#include <linux/can/raw.h>\n#include <net/if.h>\n#include <sys/ioctl.h>\n"
_INCLUDES_UDP = "#include <netdb.h>\n"

_RANDOM = """
/* The generator of G. Marsaglia, Xorshift RNGs (2003), of 64 bits: no sequence of the platform's own. */
static double between(double low, double high)
{
    static uint64_t state = 0x2545F4914F6CDD1DU;
    state ^= state << 13;
    state ^= state >> 7;
    state ^= state << 17;
    return low + (high - low) * ((double)(state >> 11) / 9007199254740992.0);
}
"""

_CAN = """
/* The bus @INTERFACE@, or the one that is named on the command line. */
static int opened(const char *name)
{
    struct ifreq request;
    struct sockaddr_can where;
    const int on = 1;
    const int link = socket(PF_CAN, SOCK_RAW, CAN_RAW);
    if (link < 0)
        return -1;
    memset(&request, 0, sizeof request);
    strncpy(request.ifr_name, name == NULL ? "@INTERFACE@" : name, sizeof request.ifr_name - 1U);
    if (ioctl(link, SIOCGIFINDEX, &request) < 0)
        return -1;
    (void)setsockopt(link, SOL_CAN_RAW, CAN_RAW_FD_FRAMES, &on, sizeof on);
    memset(&where, 0, sizeof where);
    where.can_family = AF_CAN;
    where.can_ifindex = request.ifr_ifindex;
    return bind(link, (const struct sockaddr *)&where, sizeof where) < 0 ? -1 : link;
}

static bool sent(int link, const struct entry *entry, const uint8_t *data)
{
    struct canfd_frame frame;
    const size_t size = entry->size <= 8U ? sizeof(struct can_frame) : sizeof frame;
    memset(&frame, 0, sizeof frame);
    frame.can_id = entry->address | (entry->is_extended ? CAN_EFF_FLAG : 0U);
    frame.len = (uint8_t)entry->size;
    /* long frames have only some lengths; what is behind the message is zero */
    while (frame.len > 8U && frame.len != 12U && frame.len != 16U && frame.len != 20U && frame.len != 24U
           && frame.len != 32U && frame.len != 48U && frame.len != 64U)
        frame.len++;
    memcpy(frame.data, data, entry->size);
    return write(link, &frame, size) == (ssize_t)size;
}
"""

_UDP = """
/* Port @PORT@ of @HOST@, or of the host that is named on the command line. */
static int opened(const char *name)
{
    struct addrinfo hints, *found = NULL;
    int link;
    memset(&hints, 0, sizeof hints);
    hints.ai_socktype = SOCK_DGRAM;
    if (getaddrinfo(name == NULL ? "@HOST@" : name, "@PORT@", &hints, &found) != 0)
        return -1;
    link = socket(found->ai_family, found->ai_socktype, found->ai_protocol);
    if (link >= 0 && connect(link, found->ai_addr, found->ai_addrlen) < 0) {
        (void)close(link);
        link = -1;
    }
    freeaddrinfo(found);
    return link;
}
@SEND@"""

_UDP_PAYLOAD = """
static bool sent(int link, const struct entry *entry, const uint8_t *data)
{
    /* nobody listening yet is no reason to stop */
    return send(link, data, entry->size, 0) == (ssize_t)entry->size || errno == ECONNREFUSED;
}
"""

_UDP_FRAMES = """
static uint8_t *put(uint8_t *at, uint64_t number, unsigned size)
{
    while (size-- > 0U)
        *at++ = (uint8_t)(number >> (8U * size));
    return at;
}

/* A datagram with time, address and payload: ZAF1, then numbers with the highest byte first. */
static bool sent(int link, const struct entry *entry, const uint8_t *data)
{
    uint8_t datagram[4U + 8U + 8U + 4U + 1U + 2U + LARGEST], *at = datagram;
    struct timespec now;
    size_t size;
    (void)clock_gettime(CLOCK_REALTIME, &now);
    memcpy(at, "ZAF1", 4U);
    at = put(at + 4, (uint64_t)now.tv_sec * 1000000000U + (uint64_t)now.tv_nsec, 8U);
    at = put(at, entry->address, 8U);
    at = put(at, entry->is_extended ? @EXTENDED@ : 0U, 4U);
    at = put(at, 0U, 1U);
    at = put(at, entry->size, 2U);
    memcpy(at, data, entry->size);
    size = (size_t)(at - datagram) + entry->size;
    return send(link, datagram, size, 0) == (ssize_t)size || errno == ECONNREFUSED;
}
"""

_TEMPLATE = """/* {head} */

#define _DEFAULT_SOURCE
#include "{prefix}.h"
#include "{prefix}_hooks.h"

#include <errno.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
{includes}#include <sys/socket.h>
#include <sys/types.h>
#include <time.h>
#include <unistd.h>

#define LARGEST {largest}U

struct entry {{
    const char *message;
    uint32_t address;
    bool is_extended;
    long period_ns;
    size_t size;
    int (*make)(uint8_t *data, size_t size, double seconds);
}};

static volatile sig_atomic_t stopped;

static void stop(int number)
{{
    (void)number;
    stopped = 1;
}}
{random}
{makers}
static const struct entry entries[] = {{
{entries}
    {{NULL, 0U, false, 0L, 0U, NULL}},
}};
{link}
static double since(const struct timespec *then, const struct timespec *start)
{{
    return (double)(then->tv_sec - start->tv_sec) + (double)(then->tv_nsec - start->tv_nsec) * 1e-9;
}}

static void add(struct timespec *moment, long nanoseconds)
{{
    moment->tv_nsec += nanoseconds % 1000000000L;
    moment->tv_sec += nanoseconds / 1000000000L + moment->tv_nsec / 1000000000L;
    moment->tv_nsec %= 1000000000L;
}}

/* {prefix}_node [PLACE [SECONDS]]: sends until it is stopped, or for so many seconds. */
int main(int count, char **words)
{{
    static struct timespec due[{count} + 1];
    static uint8_t data[LARGEST];
    const char *const place = count > 1 && words[1][0] != '\\0' ? words[1] : NULL;
    const double limit = count > 2 ? strtod(words[2], NULL) : 0.0;
    struct timespec start;
    size_t k;
    int failed = 0;
    const int link = opened(place);
    if (link < 0) {{
        perror("{prefix}_node: it cannot be opened");
        return 1;
    }}
    (void)signal(SIGINT, stop);
    (void)signal(SIGTERM, stop);
    (void)clock_gettime(CLOCK_MONOTONIC, &start);
    for (k = 0U; entries[k].make != NULL; k++)
        due[k] = start;
    while (stopped == 0) {{
        size_t next = 0U;
        double seconds;
        for (k = 1U; entries[k].make != NULL; k++)
            if (since(&due[k], &due[next]) < 0.0)
                next = k;
        if (entries[next].make == NULL)
            break;
        seconds = since(&due[next], &start);
        if (limit > 0.0 && seconds >= limit)
            break;
        /* to a moment and not for a while, so that what a message takes adds up to nothing */
        if (clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &due[next], NULL) != 0)
            continue;
        add(&due[next], entries[next].period_ns);
        memset(data, 0, sizeof data);
        if (entries[next].make(data, entries[next].size, seconds) != 0) {{
            fprintf(stderr, "{prefix}_node: %s cannot be made of what feeds it\\n", entries[next].message);
            failed = 1;
            break;
        }}
        if (!sent(link, &entries[next], data)) {{
            perror("{prefix}_node: it cannot be sent");
            failed = 1;
            break;
        }}
    }}
    (void)close(link);
    return failed;
}}
"""
