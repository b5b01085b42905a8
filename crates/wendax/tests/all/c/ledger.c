/* Adds up the numbers of a file, a line each, and writes what they come to into another one. */
#include "host.h"

static char text[256];
static int totals[4];
static long long all;

static int open_file(const char *path, word how) {
    return call3(OPENAT, (word)-100, (word)path, how);
}

static int sum_up(const char *from, int length) {
    int sign = 1, number = 0, lines = 0;
    for (int at = 0; at < length; at++) {
        char sign_here = from[at];
        if (sign_here == '-')
            sign = -1;
        else if (sign_here >= '0' && sign_here <= '9')
            number = number * 10 + (sign_here - '0');
        else {
            totals[lines & 3] += sign * number;
            all += sign * number;
            lines++;
            sign = 1;
            number = 0;
        }
    }
    return lines;
}

int main(int count, char **words) {
    int file = open_file(count > 0 ? words[0] : "loads.txt", 0);
    if (file < 0) {
        put("there is no such file\n");
        return 1;
    }
    int length = call3(READ, file, (word)text, sizeof text);
    call3(CLOSE, file, 0, 0);
    int lines = sum_up(text, length);
    put_number(lines);
    put(" lines, in all ");
    put_number((int)all);
    put("\n");
    int out = open_file("ledger.txt", 01101);
    for (int at = 0; at < 4; at++) {
        byte digit = '0' + totals[at] % 10;
        call3(WRITE, out, (word)&digit, 1);
    }
    call3(CLOSE, out, 0, 0);
    return 0;
}
