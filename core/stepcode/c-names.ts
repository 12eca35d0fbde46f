/** Names of a model made legal in C: letters of other alphabets are written out, words of C get an underscore, none is there twice. */

const words = new Set(
  `auto break case char const continue default do double else enum extern float for goto if inline int long register
   restrict return short signed sizeof static struct switch typedef union unsigned void volatile while _Bool _Complex
   _Imaginary bool true false int8_t int16_t int32_t int64_t uint8_t uint16_t uint32_t uint64_t NULL INFINITY NAN
   asm typeof main errno assert and and_eq bitand bitor compl not not_eq or or_eq xor xor_eq near far interrupt
   sqrtf floorf ceilf fabsf abs y0 y1 yn j0 j1 jn gamma signal linux unix`
    .split(/\s+/)
    .filter((w) => w !== ''),
);

/** Functions of the standard library (C99, 7), which compilers know without being told. */
export const libraryFunctions: readonly string[] =
  `abort abs acos acosh asin asinh atan atan2 atanh atexit atof atoi atol atoll bcmp bcopy bsearch bzero cabs calloc carg cbrt
   ceil cexp cimag clock clog conj copysign cos cosh cpow cproj creal csin csqrt ctan ctime difftime div erf erfc exit exp exp2
   expm1 fabs fclose fdim feof ferror fflush ffs fgetc fgets floor fma fmax fmin fmod fopen fprintf fputc fputs fread free
   freopen frexp fscanf fseek ftell fwrite getc getchar getenv gets gmtime hypot ilogb index isalnum isalpha isblank iscntrl
   isdigit isgraph islower isprint ispunct isspace isupper isxdigit labs ldexp ldiv lgamma llabs lldiv llrint llround localtime
   log log10 log1p log2 logb longjmp lrint lround malloc memchr memcmp memcpy memmove memset mktime modf nan nearbyint
   nextafter nexttoward perror pow printf putc putchar puts qsort raise rand realloc remainder remove remquo rename rewind
   rindex rint round scalbln scalbn scanf setbuf setjmp setlocale setvbuf sin sinh snprintf sprintf sqrt srand sscanf strcat
   strchr strcmp strcoll strcpy strcspn strdup strerror strftime strlen strncat strncmp strncpy strpbrk strrchr strspn strstr
   strtod strtof strtok strtol strtold strtoll strtoul strtoull strxfrm system tan tanh tgamma time tmpfile tmpnam tolower
   toupper trunc ungetc vfprintf vfscanf vprintf vscanf vsnprintf vsprintf vsscanf
   alloca cabsf close exp10 execl fork free gammaf kill link open pause pipe pow10 read sleep stpcpy unlink wait write`
    .split(/\s+/)
    .flatMap((n) => [n, `${n}f`, `${n}l`]);

/** Characters that tell names apart (C99, 5.2.4.1, for external ones; longer ones are shortened with a number). */
const longest = 48;

export const legalName = (name: string): string => {
  const plain = name
    .replace(/[µμ]/g, 'u')
    .replace(/ß/g, 'ss')
    .normalize('NFKD')
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/[^A-Za-z0-9_]/gu, (x) => (/[\p{L}\p{N}]/u.test(x) ? `u${x.codePointAt(0)!.toString(16)}` : '_'))
    .replace(/_+/g, '_');
  const begun = /^[A-Za-z]/.test(plain) ? plain : `x${plain.startsWith('_') ? '' : '_'}${plain}`;
  return begun.replace(/_$/, '') || 'x';
};

/** Gives each thing a name of its own in one scope. */
export function createNames(taken: Iterable<string> = []): (name: string) => string {
  const used = new Set([...taken]);
  return (name) => {
    const legal = legalName(name).slice(0, longest);
    let found = words.has(legal) ? `${legal}_` : legal;
    for (let k = 2; used.has(found); k++) found = `${legal}_${k}`;
    used.add(found);
    return found;
  };
}
