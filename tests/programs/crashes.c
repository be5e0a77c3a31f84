// One way to fail for each number that is given: what each is, main says before it happens.
#define _GNU_SOURCE
#include <fcntl.h>
#include <fenv.h>
#include <pthread.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/prctl.h>
#include <sys/wait.h>
#include <unistd.h>
#include <immintrin.h>

struct barge { long toll; int draught; char pad[5000]; int far; };
#define APART __attribute__((noinline, noipa))
#ifdef __clang__
#undef APART
#define APART __attribute__((noinline, optnone))
#endif
static volatile long sink;
static void* volatile anything;
static char buffer[64] __attribute__((aligned(16)));

APART static void null_read(struct barge* b) { sink = b->draught; }
APART static void null_write(struct barge* b) { b->toll = 5; }
APART static void null_far(struct barge* b) { sink = b->far; }
APART static void null_call(void (*f)(void)) { f(); sink = 1; }
APART static void wild_read(long* p) { sink = *p; }
APART static void wild_write(long* p) { *p = 7; }
APART static void wild_call(void (*f)(void)) { f(); sink = 1; }
APART static void text_pointer(char** words) { sink = words[0][0]; }
APART static void misaligned_read(char* p) { __asm__ volatile("movaps (%0), %%xmm0" : : "r"(p) : "xmm0"); }
APART static void misaligned_write(char* p) { __asm__ volatile("movaps %%xmm0, (%0)" : : "r"(p) : "memory"); }
APART static void kernel_only(void) { __asm__ volatile("hlt"); }
APART static void alignment_check(char* p) {
    __asm__ volatile("pushfq; orl $0x40000, (%%rsp); popfq; movl (%0), %%eax; pushfq; andl $~0x40000, (%%rsp); popfq" : : "r"(p) : "rax", "cc", "memory");
}
APART static void constant_write(char* p) { p[0] = 'x'; }
APART static void code_write(char* p) { p[0] = 1; }
APART static int endless(int n) { volatile char room[200]; room[n % 200] = (char)n; return endless(n + 1) + room[n % 200]; }
APART static void huge_frame(void) { volatile char room[64 << 20]; room[0] = 1; sink = room[0]; }
APART static void wild_stack(void) { __asm__ volatile("mov $0x10000000, %%rsp; push %%rax" : : : "memory"); }
APART static void impossible_stack(void) { __asm__ volatile("mov $0x6b636f6c20656874, %%rax; mov %%rax, %%rsp; push %%rbx" : : : "memory"); }
APART static void overrun(const char* text) { char room[8]; strcpy(room, text); sink = room[0]; }
APART static void divide(int a, int b) { sink = a / b; }
APART static void divide_long(long a, long b) { sink = a / b; }
APART static void no_instruction(void) { __asm__ volatile(".byte 0x06"); }
APART static void trap(void) { __builtin_trap(); }
APART static void own_breakpoint(void) { __asm__ volatile("int3"); }
APART static void through_gs(void) { long x; __asm__ volatile("mov %%gs:0x18, %0" : "=r"(x)); sink = x; }
APART static void interrupt(void) { __asm__ volatile("int $0x99"); }
APART static void barred(char* p) { sink = p[8]; }
APART static void run_data(void (*f)(void)) { f(); sink = 1; }
APART static void behind_file(char* p) { sink = p[5000]; }
APART static void float_divide(double a, double b) { volatile double c = a / b; sink = (long)c; }
APART static void behind_end(char* p) { sink = p[0]; }
APART static void push_read_only(char* p) { __asm__ volatile("mov %0, %%rsp; push %%rax" : : "r"(p) : "memory"); }
APART static void copy_words(long* to, const long* from, unsigned long n) { __asm__ volatile("rep movsq" : "+D"(to), "+S"(from), "+c"(n) : : "memory"); }

static void* thread_overflow(void* arg) { (void)arg; sink = endless(0); return NULL; }
static void* raise_in_thread(void* arg) { raise(SIGUSR1); return arg; }

int main(int count, char** words) {
    int which = count > 1 ? atoi(words[1]) : 0;
    printf("case %d\n", which);
    fflush(stdout);
    static int data_code = 0xc3c3c3c3;
    char* page = mmap(NULL, 8192, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
    switch (which) {
        case 1: null_read(NULL); break;
        case 2: null_write(NULL); break;
        case 3: null_far(NULL); break;
        case 4: null_call(NULL); break;
        case 5: wild_read((long*)0x123456789000); break;
        case 6: wild_write((long*)0x123456789000); break;
        case 7: wild_read((long*)0xdeadbeefdeadbeef); break;
        case 8: wild_write((long*)0xdeadbeefdeadbeef); break;
        case 9: wild_call((void (*)(void))0x123456789000); break;
        case 10: wild_call((void (*)(void))0xdeadbeefdeadbeef); break;
        case 11: { char* text = (char*)0x6b636f6c20656874; text_pointer(&text); break; }
        case 12: misaligned_read(buffer + 4); break;
        case 13: misaligned_write(buffer + 4); break;
        case 14: kernel_only(); break;
        case 15: alignment_check(buffer + 1); break;
        case 16: constant_write((char*)"the constant lock"); break;
        case 17: code_write((char*)(void*)main); break;
        case 18: sink = endless(0); break;
        case 19: huge_frame(); break;
        case 20: wild_stack(); break;
        case 21: impossible_stack(); break;
        case 22: overrun("a lock of a length that nobody thought of"); break;
        case 23: divide(count, 0); break;
        case 24: divide((int)0x80000000, -1); break;
        case 25: no_instruction(); break;
        case 26: trap(); break;
        case 27: own_breakpoint(); break;
        case 28: through_gs(); break;
        case 29: interrupt(); break;
        case 30: mprotect(page, 4096, PROT_NONE); barred(page); break;
        case 31: run_data((void (*)(void))(void*)&data_code); break;
        case 32: {
            char name[] = "/tmp/crashesXXXXXX";
            int file = mkstemp(name);
            if (write(file, "lock", 4) != 4) return 1;
            char* mapped = mmap(NULL, 8192, PROT_READ, MAP_SHARED, file, 0);
            behind_file(mapped);
            break;
        }
        case 33: feenableexcept(FE_DIVBYZERO); float_divide(1, count - 2); break;
        case 34: { pthread_t t; pthread_create(&t, NULL, thread_overflow, NULL); pthread_join(t, NULL); break; }
        case 35: raise(SIGUSR1); break;
        case 36: kill(getpid(), SIGSEGV); break;
        case 37: { union sigval v = {7}; sigqueue(getpid(), SIGUSR2, v); break; }
        case 38: if (fork() == 0) { kill(getppid(), SIGUSR1); _exit(0); } wait(NULL); break;
        case 39: munmap(page + 4096, 4096); behind_end(page + 4096 + 16); break;
        case 40: abort();
        case 41: mprotect(page, 4096, PROT_READ); push_read_only(page + 4000); break;
        case 42: divide_long(count, 0); break;
        case 43: copy_words((long*)page, NULL, 4); break;
        case 44: copy_words(NULL, (long*)page, 4); break;
        case 45: { pthread_t t; pthread_create(&t, NULL, raise_in_thread, NULL); pthread_join(t, NULL); break; }
        default: break;
    }
    return 0;
}
