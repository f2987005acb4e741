/* Waits for what a display tells and stamps it on receipt, without the interpreter.

   What was drawn goes into a ring in shared memory, from which it is taken now and then, many at
   a time; the bell is rung for everything else, which wants an answer. Needs no library: what it
   calls is handed to it, so that it runs with whatever a machine has. The layout is that of
   `yardstick_agent.spool.ring`. */

typedef unsigned long long u64;
typedef long long i64;
typedef unsigned int u32;
typedef unsigned short u16;
typedef unsigned char u8;

enum { DRAWN = 1, OTHER = 2, ENDED = 3 };
enum { MONOTONIC = 1, SENT = 0x80, RINGS_APART = 256, FULL_PAUSE_NS = 500000 };

struct instant {
    long s, ns;
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
};

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
        struct instant now;
        call->clock_gettime(MONOTONIC, &now);
        u64 waiting;
        while ((waiting = ring->written - ring->taken) >= ring->capacity && !ring->stopping) {
            ring_bell(call, bell);
            call->nanosleep(&full_pause, 0);
        }
        if (waiting >= ring->capacity)
            return;
        struct record *record = &ring->records[ring->written % ring->capacity];
        record->at_ns = now.s * 1000000000LL + now.ns;
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
