/* What a program in C needs of its host where nothing else is given: calls, a start, room, and printing. */
typedef unsigned int word;
typedef unsigned char byte;

static inline word call3(word number, word one, word two, word three) {
    register word a0 __asm__("a0") = one;
    register word a1 __asm__("a1") = two;
    register word a2 __asm__("a2") = three;
    register word a7 __asm__("a7") = number;
    __asm__ volatile("ecall" : "+r"(a0) : "r"(a1), "r"(a2), "r"(a7) : "memory");
    return a0;
}

/* The numbers are those of the open generic table. */
enum { OPENAT = 56, CLOSE = 57, READ = 63, WRITE = 64, EXIT = 93, BRK = 214 };

static void put(const char *text) {
    word length = 0;
    while (text[length])
        length++;
    call3(WRITE, 1, (word)text, length);
}

static void put_number(int number) {
    char digits[12];
    int at = 11;
    word rest = number < 0 ? -number : number;
    digits[at] = 0;
    do {
        digits[--at] = '0' + rest % 10;
        rest /= 10;
    } while (rest);
    if (number < 0)
        digits[--at] = '-';
    put(&digits[at]);
}

/* Room from the heap; it is never given back. */
static void *room(word bytes) {
    word end = call3(BRK, 0, 0, 0);
    call3(BRK, end + ((bytes + 7) & ~7u), 0, 0);
    return (void *)end;
}

int main(int count, char **words);

__attribute__((used)) static void begin(word *stack) {
    call3(EXIT, main(stack[0], (char **)&stack[1]), 0, 0);
    for (;;)
        ;
}

__attribute__((naked, used)) void _start(void) {
    __asm__("mv a0, sp\n\tcall begin");
}
