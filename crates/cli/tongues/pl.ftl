release-number = wydanie { $number }
release = { $release } zestawu { $name }, opublikowane { $day }
ends-soon = uwaga: podpisy są ważne do { $day }; powiedz temu, kto cię zaprosił, że trzeba opublikować je na nowo
unreachable = uwaga: nie można połączyć się z { $address } ({ $reason }); liczy się to, co było tam ostatnio
followed-before = uwaga: dotąd ta gra podążała za { $invite }
nothing-yet = uwaga: w tym folderze nie ma jeszcze nic z { $game }
looks-after = uwaga: w twojej grze chodzi o mody w { $folders }; o nic więcej
looks-after-more = uwaga: w twojej grze chodzi o mody w { $folders } i o to, co do nich należy w { $others }; o nic więcej
own-folder = własny folder gry
other-version = uwaga: { $what }: tutaj { $here }, na serwerze { $there }. Dopóki to nie jest to samo, nie wejdziesz, bez względu na mody
what-game = gra
what-loader = program ładujący mody
what-runtime = to, na czym działa gra
root-beyond = uwaga: jest wśród nich własny folder gry, w którym są jej programy, a nie tylko foldery modów
programs-beyond = uwaga: poza folderami modów zostałyby dodane lub zmienione: { $programs }:
programs = { $count ->
    [one] 1 program lub skrypt
    [few] { $count } programy lub skrypty
   *[other] { $count } programów lub skryptów
}
beyond-later = uwaga: o to zapytamy osobno; bez terminala potrzebne jest --beyond-mods
beyond-nobody = nic nie zrobiono, bo nie było kogo zapytać; jeśli tak bardzo ufasz temu, kto cię zaprosił, dodaj --beyond-mods
interrupted = ostatni przebieg przerwano po { $done } z { $all } kroków; najpierw zostanie dokończony

key-yes = t
key-no = n
ask-do = Zrobić to?
ask-optional = Wziąć też { $mod }? Można grać bez niego.
ask-finish = Dokończyć?
ask-other = Podążać odtąd za nowym, a nie za poprzednim?
ask-root = Pozwolić zająć się też tym folderem?
ask-trust = Czy tak bardzo ufasz temu, kto cię zaprosił?
ask-anyway = { $error }. Czy to mimo wszystko folder gry?

plan = { $game } potrzebuje tego ({ $size } do zapisania):
change-new = nowy
change-other = zmieniony
change-mended = naprawiony
change-gone = odłożony
change-renamed = nowa nazwa
change-kept = zachowany
more-mods = { $count ->
    [one] i jeszcze 1 mod
    [few] i jeszcze { $count } mody
   *[other] i jeszcze { $count } modów
}
not-on-server = serwer go nie ma

word-done = gotowe
word-in-line = zgodna
word-still-off = wciąż nie tak
word-fetched = pobrano
done = { $word }: { $game } jest zgodna z { $server }
done-partly = { $word }: wszystko, co da się zrobić stąd
in-line = { $game } jest { $word } z { $server }
still-off = { $word } w { $game }, i stąd nie da się tego naprawić:
take-back = cofnij to przez: { $command }
after-update = po następnej zmianie: { $command }
do-this = zrób: { $command }
kept-in = to, co było, jest w { $folder }
backups-gone = { $size } starych kopii usunięto; liczba ostatnich zmian, które można jeszcze cofnąć: { $count }; to, co było twoje, pozostaje odłożone
fetched = { $word }: { $size } na { $files }
fetched-reused = { $size } w kawałkach było już tutaj
files = { $count ->
    [one] 1 plik
    [few] { $count } pliki
   *[other] { $count } plików
}

join-hello = Cześć! Ktoś zaprosił cię do gry, a to przygotuje twoją grę.
join-safe = Nic się nie zmieni, zanim powiesz „tak”, i wszystko można cofnąć.
join-where = Gdzie jest twoja gra? Wpisz numer albo folder; możesz przeciągnąć folder do tego okna. Sam Enter kończy.
join-looks-like-it = { $folder } (wygląda na grę)
join-no-folder = Nie ma tu folderu { $folder }.
join-no-number = Nic tu nie ma numeru { $number }.
join-menu = { $game } jest już znana. Co teraz? Sam Enter to 1.
join-menu-ready = Przygotuj do wejścia
join-menu-undo = Cofnij ostatnią zmianę
join-menu-put-back = Przywróć coś, co odłożono
join-menu-report = Zapisz plik dla kogoś, kto ci pomaga
join-menu-other = Gra jest w innym folderze
join-menu-leave = Zakończ
join-ready = Możesz już wejść. Dobrej zabawy!
join-again = Uruchom ten program ponownie po zmianie na serwerze albo żeby to cofnąć.
join-as-known = Twoja gra jest taka, jakiej chciał serwer, gdy ostatnio można było zapytać. Może teraz chce czegoś innego.
join-not-ready = Jeszcze nie możesz wejść. To, czego brakuje, jest wyżej.
join-nothing-changed = Nic nie zmieniono.
join-report = Wyślij ten plik temu, kto ci pomaga: { $file }
join-aside = To zostało odłożone. Co chcesz z powrotem? Wpisz numer; sam Enter kończy.
join-aside-none = Nic tu nie odłożono.
join-aside-taken = Pod { $path } jest teraz coś innego i to zostaje.
join-put-back = { $path } jest z powrotem. Jeśli serwer tego nie ma, następna zmiana odłoży to znowu.
join-taken-back = Ostatnia zmiana jest cofnięta.
join-close = Naciśnij Enter, aby zamknąć to okno.

reply-why-sure = Oto dlaczego nie udało ci się wejść:
reply-why-likely = Najprawdopodobniej dlatego nie udało ci się wejść:
reply-not-agreed = Nie ustalono jeszcze, która z dwóch wersji jest właściwa. Niczego nie zmieniaj: zdecyduję i dam ci znać.
reply-differ = Tam, gdzie twoja gra i serwer tylko się różnią, zdecyduję, co jest właściwe, i dam ci znać.
reply-server-only = Nie udało ci się wejść, i to nie twoja wina. Trzeba naprawić serwer:
reply-server-too = To wina serwera i to ja ją naprawię:
reply-wait = Nie musisz przy tym nic zmieniać. Spróbuj znowu, gdy dam ci znać.
reply-what-to-do = Co zrobić:
reply-close = Zamknij grę.
reply-run = Otwórz terminal w folderze gry i wpisz: { $command }
reply-start = Uruchom grę i wejdź ponownie.
reply-got-in = Dziennik serwera mówi, że ostatnim razem udało ci się wejść. Czy to inna próba się nie powiodła? Spróbuj więc jeszcze raz i powiedz mi kiedy.
reply-unknown = Nie wiem jeszcze, dlaczego nie udało ci się wejść.
reply-may-be = To może być jedno z tych, ale nie mam pewności:
reply-puts-right = Zamknij grę, otwórz terminal w jej folderze i wpisz: { $command }
reply-still = To uporządkuje wszystkie mody. Jeśli nadal nie możesz wejść:
reply-send = Przyślij mi proszę:
reply-send-log = dziennik gry z czasu twojej próby
reply-send-list = listę twoich modów z wersjami (wystarczy zrzut folderu z modami)
reply-send-words = co napisała gra, słowo w słowo, i kiedy była próba
reply-send-file = Jeśli masz program kanon, najwięcej powie plik mine.json. Wpisz to w folderze gry, z plikiem reguł, który ci przyślę:
reply-some-missing = { $side ->
    [client] w twojej grze brakuje jednego z modów; nigdzie nie ma, którego
    [server] na serwerze brakuje moda; nigdzie nie ma, którego
   *[none] jednej ze stron brakuje moda; nigdzie nie ma, którego
}
reply-some-extra = { $side ->
    [client] twoja gra ma o jeden mod za dużo; nigdzie nie ma, który
    [server] serwer ma o jeden mod za dużo; nigdzie nie ma, który
   *[none] jedna ze stron ma o jeden mod za dużo; nigdzie nie ma, który
}
reply-some-other = { $side ->
    [client] jeden z twoich modów nie jest taki, jaki być powinien: inna wersja albo zmienione pliki; nigdzie nie ma, który
    [server] jeden z modów na serwerze nie jest taki, jaki być powinien: inna wersja albo zmienione pliki; nigdzie nie ma, który
   *[none] jeden z modów nie jest taki sam po obu stronach: inna wersja albo zmienione pliki; nigdzie nie ma, który
}
reply-missing = { $side ->
    [client] nie masz { $mod }
    [server] serwer nie ma { $mod }
   *[none] jedna ze stron nie ma { $mod }
}
reply-extra = { $side ->
    [client] masz { $mod }, a serwer nie
    [server] serwer ma { $mod }, a druga strona nie
   *[none] jedna strona ma { $mod }, a druga nie
}
reply-off = { $side ->
    [client] u ciebie { $mod } jest wyłączony
    [server] na serwerze { $mod } jest wyłączony
   *[none] po jednej stronie { $mod } jest wyłączony
}
reply-twice = { $side ->
    [client] masz { $mod } więcej niż raz
    [server] serwer ma { $mod } więcej niż raz
   *[none] jedna strona ma { $mod } więcej niż raz
}
reply-older = { $side ->
    [client] twój { $mod } jest za stary
    [server] { $mod } na serwerze jest za stary
   *[none] { $mod } po jednej stronie jest za stary
}
reply-newer = { $side ->
    [client] twój { $mod } jest za nowy
    [server] { $mod } na serwerze jest za nowy
   *[none] { $mod } po jednej stronie jest za nowy
}
reply-other = { $side ->
    [client] twój { $mod } ma inną wersję
    [server] { $mod } na serwerze ma inną wersję
   *[none] { $mod } po jednej stronie ma inną wersję
}
reply-content = { $side ->
    [client] twój { $mod } został zmieniony: jego pliki nie są takie, jakie być powinny
    [server] { $mod } na serwerze został zmieniony: jego pliki nie są takie, jakie być powinny
   *[none] { $mod } po jednej stronie został zmieniony: jego pliki nie są takie, jakie być powinny
}
reply-damaged = { $side ->
    [client] twój { $mod } jest uszkodzony
    [server] { $mod } na serwerze jest uszkodzony
   *[none] { $mod } po jednej stronie jest uszkodzony
}
reply-game = { $side ->
    [client] twoja gra ma inną wersję
    [server] gra na serwerze ma inną wersję
   *[none] gra jednej ze stron ma inną wersję
}
reply-loader = { $side ->
    [client] to, co ładuje twoje mody, ma inną wersję
    [server] to, co ładuje mody serwera, ma inną wersję
   *[none] to, co ładuje mody jednej ze stron, ma inną wersję
}
reply-runtime = { $side ->
    [client] to, na czym działa twoja gra, ma inną wersję
    [server] to, na czym działa gra serwera, ma inną wersję
   *[none] to, na czym działa gra jednej ze stron, ma inną wersję
}
reply-memory = { $side ->
    [client] twoja gra ma za mało pamięci
    [server] gra na serwerze ma za mało pamięci
   *[none] gra jednej ze stron ma za mało pamięci
}
reply-is-should = { $what }: jest { $is }, a powinno być { $should }
reply-should = { $what }: powinno być { $should }
reply-is = { $what }: jest { $is }
reply-in-game = { $what }, w twojej grze
step-list = Porównaj swoje mody z listą, którą ci przyślę: jednego brakuje.
step-list-versions = Porównaj swoje mody i ich wersje z listą, którą ci przyślę: jeden jest inny.
step-install = Zainstaluj { $mod }.
step-install-at = Zainstaluj { $mod }: jego miejsce to { $place }.
step-install-into = Zainstaluj { $mod } w folderze { $place }.
step-take-out = Usuń { $mod } ze swojej gry{ $where }.
step-switch-on = Włącz znowu { $mod }{ $where }.
step-replace = Zastąp swój { $mod } wersją { $should }{ $where }.
step-get-again = Pobierz { $mod } jeszcze raz i wstaw w miejsce swojego{ $where }.
step-game = Doprowadź grę do wersji { $should }.
step-install-version = Zainstaluj { $should }.
step-the-file = { "" } (plik { $place })
step-in-folder = { "" } (w folderze { $place })
kept-ban = Nie udało ci się wejść, bo masz zakaz wstępu na serwer. To nie ma nic wspólnego z twoimi modami. Zapytaj osobę, która prowadzi serwer.
kept-list = Nie udało ci się wejść, bo nie ma cię na liście osób, którym wolno. To nie ma nic wspólnego z twoimi modami: muszę cię dopisać.
kept-full = Nie udało ci się wejść, bo serwer był pełny. Twoje mody nie mają z tym nic wspólnego. Spróbuj znowu, gdy ktoś wyjdzie.
kept-password = Nie udało ci się wejść z powodu hasła. Twoje mody nie mają z tym nic wspólnego. Wpisz je jeszcze raz albo zapytaj mnie o nie.
kept-account = Nie udało ci się wejść z powodu konta. Twoje mody nie mają z tym nic wspólnego. Zamknij grę, zaloguj się ponownie i spróbuj jeszcze raz.
kept-connection = Połączenie między twoją grą a serwerem się zerwało. Sprawdź wpisany adres i port i spróbuj jeszcze raz; jeśli inni wchodzą, sprawdź swoją sieć.
page-title = { $name }: co zainstalować
page-lead = { $game } z { $loader }
page-release = Wydanie { $number }
page-mods = { $count ->
    [one] 1 mod
    [few] { $count } mody
   *[other] { $count } modów
}, { $size }
page-how = Jak wejść
page-program-lead = Niech zrobi to program.
page-program = Pobierz program dla swojego systemu i uruchom go podwójnym kliknięciem. Zapyta, gdzie jest gra, powie, co zrobi, i zrobi to, gdy się zgodzisz; wszystko można cofnąć.
page-for = dla { $system }
page-trust = Po aktualizacji serwera uruchom ten sam program ponownie. Nie podpisał go producent twojego systemu, który może zapytać, czy mu ufasz: jest tak dobry jak to miejsce.
page-linux = W Linuksie najpierw zezwól na uruchomienie:
page-kanon = Z Kanonem.
page-kanon-or = Albo z Kanonem, jeśli go masz.
page-type = W folderze gry wpisz:
page-copy = Kopiuj
page-copied = Skopiowano
page-later = Po aktualizacji serwera po prostu: { $follow }. Nie pasuje: { $undo }.
page-makers = Kanon jest u { $open }jego twórców{ $close }.
page-archive-lead = Ręcznie, za jednym razem.
page-archive = Pobierz { $open }wszystkie mody w jednym archiwum{ $close } i rozpakuj je w folderze gry. Co jeszcze trzeba zrobić, jest w środku i poniżej.
page-each-lead = Ręcznie, po kolei.
page-each = Z { $open }tabeli{ $close }, jak mówi { $steps }lista poniżej{ $close }.
page-code = Zaproszenie jako kod QR
page-new = Nowe od wydania { $number }
page-nothing-new = Nic, co by cię dotyczyło.
news-new = { $mod } { $to } jest nowy
news-gone = { $mod } { $from } już nie ma: usuń go
news-bytes = { $mod } { $to } ma inną zawartość pod tą samą wersją
news-becomes = { $mod } { $from } zmienia się na { $to }
page-table = Mody, w kolejności
page-find = Znajdź mod
page-found = { $seen } z { $all }
col-number = Nr
col-mod = Mod
col-version = Wersja
col-file = Plik lub folder
col-where = Dokąd
col-size = Rozmiar
page-optional = opcjonalny
page-needs = wymaga { $mods }
page-download = pobierz
page-bytes = { $count } bajtów
page-digest-one = suma kontrolna
way-folder = folder
way-file = plik
way-files = pliki obok siebie
way-overlay = nakładka
way-id = według id
where-id = gra sama go pobiera
where-overlay = włożony do { $places }
where-and = { " i " }
page-server-alone = Tylko serwer ma { $mods }; nie musisz { $count ->
    [one] go
   *[other] ich
} szukać.
page-line = Wiersz uruchomienia
page-line-into = Do { $file } albo tam, skąd uruchamiasz grę, dokładnie tak, z kolejnością:
page-line-anywhere = Tam, skąd uruchamiasz grę, dokładnie tak, z kolejnością:
page-by-hand = Ręcznie
hand-close = Zamknij grę i skopiuj na bok jej foldery z modami, na wypadek gdyby były potrzebne.
hand-take-out = Z tych folderów usuń każdy plik i folder, którego nie ma w tabeli powyżej. { $own }.
hand-own-stay = Własne mody mogą zostać, jeśli dotyczą tylko twojej gry; inne wersje modów powyżej nie
hand-own-go = Inne mody nie są na tym serwerze mile widziane
hand-file = Umieść każdy plik na jego miejscu pod dokładnie taką nazwą jak w tabeli, z wielkością liter. Nie rozpakowuj go.
hand-files = Jeśli mod składa się z kilku plików, umieść je wszystkie obok siebie na jego miejscu, pod dokładnie takimi nazwami jak na jego liście.
hand-folder = Umieść każdy folder na jego miejscu pod dokładnie taką nazwą jak w tabeli, z plikami z jego listy i żadnymi innymi.
hand-overlay = Włóż zawartość każdej nakładki do jej archiwum, w kolejności z tabeli.
hand-id = Mody bez plików gra pobiera sama, według id.
hand-copies = Skopiuj te pliki modów tam, gdzie szuka ich gra:
hand-copy = { $to }, z { $mod }
hand-entries = Wklej te wpisy do plików danych gry, każdy raz:
hand-entry = { $into }: { $keys } z { $from } z { $mod }, przed { $before }
hand-list = W { $file } ({ $name }) te mody muszą być włączone:
hand-list-ordered = W { $file } ({ $name }) te mody muszą być włączone, w tej kolejności:
hand-settings = Ustaw te wartości:
hand-setting = { $file }: { $name } musi mieć wartość { $value } (przy { $at })
hand-start = Uruchom grę i wejdź.
hand-start-line = Uruchom grę z wierszem uruchomienia powyżej i wejdź.
page-cant = Nie możesz wejść?
page-cant-send = Wyślij osobie prowadzącej serwer, co masz. To to spisze; plik wymienia mody i ich pliki, i nic więcej z twojego komputera:
page-cant-run = Uruchom to w folderze gry. Jeśli nic tam nie jest śledzone, dodaj { $option }, z { $open }plikiem reguł{ $close } obok.
page-cant-sent = Uruchom to w folderze gry. Jeśli nic tam nie jest śledzone, dodaj { $option }, z otrzymanym plikiem reguł obok.
page-digest = Zestaw ma sumę kontrolną { $digest }.
page-foot = Ta strona jest do czytania; to, co pobiera { $command }, jest sprawdzane po podpisach.
notes-title = { $name }: wszystkie mody do { $game }
notes-unpack = Rozpakuj to w folderze gry i pozwól zastąpić to, co tam jest. Najpierw zamknij grę.
notes-before = Przedtem usuń z { $folders } każdy mod, którego tu nie ma: stary obok nowego nie pozwoli ci wejść.
notes-left = Tu nie ma, a zdobyć można tak, jak mówi strona: { $mods }.
notes-list = Włączone w { $file }:
notes-list-ordered = Włączone w { $file }, w tej kolejności:
notes-start = Uruchom grę z:
