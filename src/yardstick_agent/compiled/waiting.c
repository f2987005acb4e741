/* Waits for what a display and a folder tell, and for the next beat, without the interpreter.

   What was drawn is stamped on receipt and put into a ring in shared memory, from which it is taken
   now and then, many at a time; the bell is rung for everything else, which wants an answer. What
   the subject uses is appended to the record at each beat.

   Needs no library: what it calls is handed to it, so that it runs with whatever a machine has. The
   layouts are those of `yardstick_agent.spool.ring` and `yardstick_agent.compiled`. */

typedef unsigned long long u64;
typedef long long i64;
typedef unsigned int u32;
typedef unsigned short u16;
typedef unsigned char u8;

enum { DRAWN = 1, OTHER = 2, ENDED = 3 };
enum { STATE = 0, TIMES_FIRST = 11, TIMES_LAST = 14, RESIDENT = 21, MOST_TEXT = 1024 };
enum { MONOTONIC = 1, READABLE = 1, SENT = 0x80, RINGS_APART = 256, FULL_PAUSE_NS = 500000 };
enum { PACKET_BYTES = 32, MOST_PACKETS = 64, MOST_FAILED = 1000 };

struct instant {
    long s, ns;
};

struct polled {
    int file;
    short wanted, found;
};

/* A report of the DAMAGE extension, as the server sends it. */
struct damage {
    u8 type, level;
    u16 sequence;
    u32 drawable, damage, server_ms;
    short x, y;
    u16 width, height;
};

struct record {
    i64 at_ns;
    u32 window, server_ms; /* of OTHER: the address of the event */
    short x, y;
    u16 width, height;
    u32 kind, unused;
};

struct ring {
    volatile u64 written, taken, stopping, capacity;
    u64 unused[4];
    struct record records[];
};

struct calls {
    void *(*wait_for_event)(void *connection);
    int (*clock_gettime)(int clock, struct instant *now);
    int (*nanosleep)(const struct instant *pause, struct instant *left);
    long (*write)(int file, const void *data, u64 size);
    int (*poll)(struct polled *files, u64 count, int most_ms);
    long (*pread)(int file, void *data, u64 size, long place);
    long (*read)(int file, void *data, u64 size);
};

struct look {
    volatile int every_ms, stopping;
    i64 quiet_since_ns, asked_ns;
};

/* Its processes, by their open /proc/PID/stat, and what those took that came before them. */
struct subject {
    double ended_s;
    int count, files[];
};

struct sampling {
    volatile int stopping, failed;
    volatile u64 beats;
    struct subject *volatile subject;
    i64 origin_ns, beat_ns, ticks_a_second, page_bytes;
    double most_s, seconds_before, resident_before;
    int seconds_file, resident_file;
};

static i64 now_ns(const struct calls *call)
{
    struct instant now;
    call->clock_gettime(MONOTONIC, &now);
    return now.s * 1000000000LL + now.ns;
}

/* What was written before is seen by whoever sees the new count. */
static void publish(struct ring *ring)
{
#if defined(__x86_64__)
    __asm__ __volatile__("" ::: "memory");
    ring->written++;
#else
    __atomic_store_n(&ring->written, ring->written + 1, __ATOMIC_RELEASE);
#endif
}

static void ring_bell(const struct calls *call, int bell)
{
    u64 once = 1;
    call->write(bell, &once, sizeof once);
}

/* The next record to be filled, waited for while the ring is full; none when asked to stop. */
static struct record *next_record(struct ring *ring, int bell, const struct calls *call)
{
    const struct instant full_pause = {0, FULL_PAUSE_NS};
    u64 waiting;
    while ((waiting = ring->written - ring->taken) >= ring->capacity) {
        if (ring->stopping)
            return 0;
        ring_bell(call, bell);
        call->nanosleep(&full_pause, 0);
    }
    if (waiting > ring->capacity / 2 && waiting % RINGS_APART == 0)
        ring_bell(call, bell);
    return &ring->records[ring->written % ring->capacity];
}

/* Stamps what wants an answer. Returns when the display has ended, or at the first event after it
   was asked to stop. */
void stamp(struct ring *ring, void *connection, int bell, const struct calls *call)
{
    for (;;) {
        u64 event = (u64)call->wait_for_event(connection);
        i64 now = now_ns(call);
        struct record *record = next_record(ring, bell, call);
        if (!record)
            return;
        record->at_ns = now;
        record->window = (u32)event;
        record->server_ms = (u32)(event >> 32);
        record->kind = event ? OTHER : ENDED;
        publish(ring);
        ring_bell(call, bell);
        if (!event || ring->stopping)
            return;
    }
}

/* Stamps what was drawn, as it comes over a connection on which nothing else is asked: waiting in
   one call instead of three takes a third less. Returns when the connection is shut. */
void stamp_drawn(
    struct ring *ring, int connection, int bell, int damage_event, const struct calls *call)
{
    union {
        struct damage event;
        u8 bytes[PACKET_BYTES];
    } packets[MOST_PACKETS];
    u8 *bytes = packets[0].bytes;
    const struct instant retry_pause = {0, FULL_PAUSE_NS};
    u64 held = 0;
    for (int failed = 0; failed < MOST_FAILED;) {
        long size = call->read(connection, bytes + held, sizeof packets - held);
        if (size == 0 || ring->stopping)
            return;
        if (size < 0) { /* a signal came in between */
            failed++;
            call->nanosleep(&retry_pause, 0);
            continue;
        }
        failed = 0;
        held += size;
        u64 whole = held / PACKET_BYTES;
        for (u64 number = 0; number < whole; number++) {
            const struct damage *event = &packets[number].event;
            if ((event->type & ~SENT) != damage_event)
                continue;
            i64 now = now_ns(call);
            struct record *record = next_record(ring, bell, call);
            if (!record)
                return;
            record->at_ns = now;
            record->window = event->drawable;
            record->server_ms = event->server_ms;
            record->x = event->x;
            record->y = event->y;
            record->width = event->width;
            record->height = event->height;
            record->kind = DRAWN;
            publish(ring);
        }
        held %= PACKET_BYTES;
        for (u64 number = 0; number < held; number++)
            bytes[number] = bytes[whole * PACKET_BYTES + number];
    }
}

/* Adds what the text of a /proc/PID/stat tells: ticks of it and of those it has reaped, pages. */
static void add_use(const char *text, long size, i64 *ticks, i64 *pages)
{
    const char *end = text + size, *place = end;
    while (place > text && place[-1] != ')') /* its name may hold blanks and brackets */
        place--;
    if (place == text)
        return;
    place++;
    int gone = place < end && (*place == 'Z' || *place == 'X');
    for (int field = STATE; place < end && field <= RESIDENT; field++) {
        i64 value = 0;
        for (; place < end && *place != ' '; place++)
            if (*place >= '0' && *place <= '9')
                value = 10 * value + (*place - '0');
        place++;
        if (field >= TIMES_FIRST && field <= TIMES_LAST)
            *ticks += value;
        if (field == RESIDENT && !gone)
            *pages += value;
    }
}

/* Appends a sample, whole or none: returns whether it could. */
static int append(int file, i64 at_ns, double value, const struct calls *call)
{
    struct {
        i64 at_ns;
        double value;
    } sample = {at_ns, value};
    return call->write(file, &sample, sizeof sample) == sizeof sample;
}

/* Samples the subject at each beat until it is told to stop, or the record cannot be written on. */
void sample_subject(struct sampling *sampling, const struct calls *call)
{
    char text[MOST_TEXT];
    i64 due = now_ns(call);
    while (!sampling->stopping) {
        const struct subject *subject = sampling->subject;
        i64 at = now_ns(call), ticks = 0, pages = 0;
        for (int number = 0; number < subject->count; number++) {
            long size = call->pread(subject->files[number], text, sizeof text, 0);
            if (size > 0)
                add_use(text, size, &ticks, &pages);
        }
        double seconds = subject->ended_s + (double)ticks / sampling->ticks_a_second;
        if (seconds > sampling->most_s)
            sampling->most_s = seconds;
        double resident = (double)(pages * sampling->page_bytes);
        i64 since = at - sampling->origin_ns;
        sampling->failed =
            !append(sampling->seconds_file, since, sampling->most_s + sampling->seconds_before, call)
            || !append(sampling->resident_file, since, resident + sampling->resident_before, call);
        sampling->beats++;
        if (sampling->failed)
            return;
        i64 left = (due += sampling->beat_ns) - now_ns(call);
        if (left > 0) {
            const struct instant pause = {left / 1000000000LL, left % 1000000000LL};
            call->nanosleep(&pause, 0);
        } else {
            due -= left;
        }
    }
}

/* Looks again and again whether a file can be read, so that what comes is known to have come since
   the last look; returns whether it can, or 0 when it was told to stop. */
int look(struct look *look, int file, const struct calls *call)
{
    struct polled polled = {file, READABLE, 0};
    while (!look->stopping) {
        look->asked_ns = now_ns(call);
        if (call->poll(&polled, 1, 0) > 0)
            return 1;
        call->poll(&polled, 1, look->every_ms);
        look->quiet_since_ns = look->asked_ns;
    }
    return 0;
}
