/* Wagons are read as they come in, a line each ("timber 340"), and put into a train with the heaviest in front. */
#include "host.h"

enum kind { COAL, TIMBER, GRAIN, OTHER };

struct wagon {
    enum kind kind;
    unsigned short load;
    char name[10];
    struct wagon *next;
};

struct train {
    struct wagon *first;
    byte wagons;
    int loads;
} train;

static const char *const kinds[] = {"coal", "timber", "grain"};
static char line[40];

static int same(const char *one, const char *other) {
    while (*one && *one == *other)
        one++, other++;
    return *one == *other;
}

/* A line without its end; its length, or -1 at the end of what comes in. */
static int read_line(char *to, int most) {
    int length = 0;
    while (call3(READ, 0, (word)&to[length], 1) == 1) {
        if (to[length] == '\n' || length == most - 1) {
            to[length] = 0;
            return length;
        }
        length++;
    }
    to[length] = 0;
    return length ? length : -1;
}

static struct wagon *wagon_of(const char *text) {
    struct wagon *wagon = room(sizeof(struct wagon));
    int at = 0;
    while (text[at] && text[at] != ' ' && at < 9) {
        wagon->name[at] = text[at];
        at++;
    }
    wagon->name[at] = 0;
    wagon->load = 0;
    while (text[at] == ' ')
        at++;
    while (text[at] >= '0' && text[at] <= '9')
        wagon->load = wagon->load * 10 + (text[at++] - '0');
    wagon->kind = COAL;
    while (wagon->kind != OTHER && !same(wagon->name, kinds[wagon->kind]))
        wagon->kind++;
    wagon->next = 0;
    return wagon;
}

/* Behind all that are heavier. */
static void couple(struct train *train, struct wagon *wagon) {
    struct wagon **place = &train->first;
    while (*place && (*place)->load >= wagon->load)
        place = &(*place)->next;
    wagon->next = *place;
    *place = wagon;
    train->wagons++;
    train->loads += wagon->load;
}

int main(int count, char **words) {
    int most = count > 0 ? words[0][0] - '0' : 9;
    while (train.wagons < most && read_line(line, sizeof line) >= 0)
        couple(&train, wagon_of(line));
    for (struct wagon *wagon = train.first; wagon; wagon = wagon->next) {
        put(wagon->name);
        put(" ");
        put_number(wagon->load);
        put("\n");
    }
    put("in all ");
    put_number(train.loads);
    put("\n");
    return train.wagons;
}
