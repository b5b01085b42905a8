/* Ways through a yard of points, found by trying: numbers of every size, bits, arrays of arrays, names of numbers. */
#include "host.h"

enum state { OPEN, SHUT = 4, BROKEN = -1 };

struct points {
    unsigned straight : 3;
    unsigned aside : 3;
    int lean : 4;
    signed char turns;
    enum state state;
    _Bool taken;
};

union either {
    word whole;
    byte parts[4];
};

static struct points yard[4] = {
    {1, 2, -3, 0, OPEN, 0},
    {3, 2, 2, 0, OPEN, 0},
    {3, 0, 7, 0, SHUT, 0},
    {0, 0, -8, -5, BROKEN, 0},
};
static short grid[2][3] = {{1, -2, 3}, {400, -500, 600}};
static const char *name = "Ostrey";
static union either mixed = {0x04030201};
static unsigned long long far = 0xFFFFFFFF00000001ull;
static void *nowhere;
static int calls;

static int ways(word from, int deep) {
    struct points *here = &yard[from];
    calls++;
    if (from == 3)
        return 1;
    if (here->state != OPEN || deep > 5)
        return 0;
    here->taken = 1;
    here->turns++;
    int found = ways(here->straight, deep + 1);
    found += ways(here->aside, deep + 1);
    here->taken = 0;
    return found;
}

static void tell(int number) {
    put_number(number);
    put("\n");
}

int main(int count, char **words) {
    int found = ways(0, 0);
    put(name);
    put("\n");
    tell(found);
    tell(calls);
    for (struct points *one = yard; one < &yard[4]; one++) {
        tell(one->straight);
        tell(one->aside);
        tell(one->lean);
        tell(one->turns);
        tell(one->state);
        tell(one->taken);
    }
    for (int row = 0; row < 2; row++)
        for (int column = 0; column < 3; column++)
            tell(grid[row][column]);
    for (int part = 0; part < 4; part++)
        tell(mixed.parts[part]);
    tell(mixed.whole);
    tell(far >> 32 == 0xFFFFFFFF);
    tell(nowhere == 0);
    return count;
}
