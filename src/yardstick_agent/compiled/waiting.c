/* Waits for what a display and a folder tell, without the interpreter.

   What was drawn is stamped on receipt and put into a ring in shared memory, from which it is taken
   now and then, many at a time; the bell is rung for everything else, which wants an answer.

   Needs no library: what it calls is handed to it, so that it runs with whatever a machine has. The
   layouts are those of `yardstick_agent.spool.ring` and `yardstick_agent.compiled`. */

typedef unsigned long long u64;
typedef long long i64;
typedef unsigned int u32;
typedef unsigned short u16;
typedef unsigned char u8;

enum { DRAWN = 1, OTHER = 2, ENDED = 3 };
enum { MONOTONIC = 1, READABLE = 1, SENT = 0x80, RINGS_APART = 256, FULL_PAUSE_NS = 500000 };

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
    void (*free)(void *event);
    int (*clock_gettime)(int clock, struct instant *now);
    int (*nanosleep)(const struct instant *pause, struct instant *left);
    long (*write)(int file, const void *data, u64 size);
    int (*poll)(struct polled *files, u64 count, int most_ms);
};

struct look {
    volatile int every_ms, stopping;
    i64 quiet_since_ns, asked_ns;
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

/* Returns when the display has ended, or at the first event after it was asked to stop. */
void stamp(struct ring *ring, void *connection, int bell, int damage_event, const struct calls *call)
{
    const struct instant full_pause = {0, FULL_PAUSE_NS};
    for (;;) {
        struct damage *event = call->wait_for_event(connection);
        i64 now = now_ns(call);
        u64 waiting;
        while ((waiting = ring->written - ring->taken) >= ring->capacity && !ring->stopping) {
            ring_bell(call, bell);
            call->nanosleep(&full_pause, 0);
        }
        if (waiting >= ring->capacity)
            return;
        struct record *record = &ring->records[ring->written % ring->capacity];
        record->at_ns = now;
        int quiet = event && (event->type & ~SENT) == damage_event;
        if (quiet) {
            record->window = event->drawable;
            record->server_ms = event->server_ms;
            record->x = event->x;
            record->y = event->y;
            record->width = event->width;
            record->height = event->height;
            record->kind = DRAWN;
            call->free(event);
        } else {
            u64 address = (u64)event;
            record->window = (u32)address;
            record->server_ms = (u32)(address >> 32);
            record->kind = event ? OTHER : ENDED;
        }
        publish(ring);
        if (!quiet || (waiting > ring->capacity / 2 && waiting % RINGS_APART == 0))
            ring_bell(call, bell);
        if (!event || ring->stopping)
            return;
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
