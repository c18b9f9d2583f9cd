release-number = versión { $number }
release = { $release } de { $name }, publicada el { $day }
ends-soon = nota: sus firmas terminan el { $day }; dile a quien te invitó que debe publicarla de nuevo
unreachable = nota: no se llega a { $address } ({ $reason }); vale lo que decía la última vez
followed-before = nota: hasta ahora este juego seguía { $invite }
nothing-yet = nota: en esta carpeta todavía no hay nada de { $game }
looks-after = nota: de tu juego se ocupa de los mods en { $folders }; de nada más
looks-after-more = nota: de tu juego se ocupa de los mods en { $folders }, y cambia lo que les pertenece en { $others }; nada más
own-folder = la carpeta propia del juego
other-version = nota: { $what } es { $here } aquí y { $there } en el servidor: mientras no sea igual, no puedes entrar, tengas los mods que tengas
what-game = el juego
what-loader = el cargador de sus mods
what-runtime = aquello sobre lo que corre el juego
root-beyond = nota: entre ellas está la carpeta propia del juego, donde están sus programas, y no solo carpetas de mods
programs-beyond = nota: pondría o cambiaría { $programs } fuera de las carpetas de mods:
programs = { $count ->
    [one] 1 programa o script
   *[other] { $count } programas o scripts
}
beyond-later = nota: eso se preguntará aparte; sin terminal hace falta --beyond-mods
beyond-nobody = no se hizo nada, porque no se pudo preguntar a nadie; si confías hasta ahí en quien te invitó, añade --beyond-mods
interrupted = la última vez se interrumpió tras { $done } de { $all } pasos; primero se termina

key-yes = s
key-no = n
ask-do = ¿Hacerlo?
ask-optional = ¿Llevar también { $mod }? Se puede jugar sin él.
ask-finish = ¿Terminarlo?
ask-other = ¿Seguir desde ahora lo nuevo, y ya no lo de antes?
ask-root = ¿Dejar que se ocupe también de esa carpeta?
ask-trust = ¿Confías hasta ahí en quien te invitó?
ask-anyway = { $error }. ¿Es de todos modos la carpeta del juego?

plan = { $game } necesita esto ({ $size } por escribir):
change-new = nuevo
change-other = cambiado
change-mended = reparado
change-gone = retirado
change-renamed = renombrado
change-kept = guardado
more-mods = { $count ->
    [one] y 1 mod más
   *[other] y { $count } mods más
}
not-on-server = el servidor no lo tiene

word-done = hecho
word-in-line = al día
word-still-off = aún mal
word-fetched = descargado
done = { $word }: { $game } está al día con { $server }
done-partly = { $word }: todo lo que se puede desde aquí
in-line = { $game } está { $word } con { $server }
still-off = { $word } en { $game }, y no se puede arreglar desde aquí:
take-back = deshacerlo con: { $command }
after-update = tras la próxima actualización: { $command }
do-this = haz: { $command }
kept-in = lo que había está guardado en { $folder }
backups-gone = { $size } de copias antiguas se han quitado; las últimas { $count } aún se pueden deshacer, y lo que era tuyo sigue apartado
fetched = { $word }: { $size } para { $files }
fetched-reused = { $size } en trozos ya estaban aquí
files = { $count ->
    [one] 1 archivo
   *[other] { $count } archivos
}

join-hello = ¡Hola! Te han invitado a jugar, y esto prepara tu juego.
join-safe = Nada cambia antes de que digas que sí, y todo se puede deshacer.
join-where = ¿Dónde está tu juego? Escribe un número o la carpeta; puedes arrastrar la carpeta a esta ventana. Solo Enter para salir.
join-looks-like-it = { $folder } (parece el juego)
join-no-folder = Aquí no hay ninguna carpeta { $folder }.
join-no-number = Nada aquí tiene el número { $number }.
join-menu = { $game } ya se conoce. ¿Y ahora? Solo Enter es 1.
join-menu-ready = Prepararlo para entrar
join-menu-undo = Deshacer el último cambio
join-menu-put-back = Recuperar algo que se apartó
join-menu-report = Escribir un archivo para quien te ayuda
join-menu-other = El juego está en otra carpeta
join-menu-leave = Salir
join-ready = Ya puedes entrar. ¡Que lo disfrutes!
join-again = Inicia este programa otra vez tras una actualización del servidor, o para deshacer esto.
join-as-known = Tu juego está como el servidor lo quería cuando se le pudo preguntar por última vez. Puede que ahora quiera otra cosa.
join-not-ready = Todavía no puedes entrar. Lo que falta está arriba.
join-nothing-changed = No se cambió nada.
join-report = Envía este archivo a quien te ayuda: { $file }
join-aside = Esto se apartó. ¿Qué quieres recuperar? Escribe un número; solo Enter para salir.
join-aside-none = Aquí no se apartó nada.
join-aside-taken = Ahora hay otra cosa en { $path }, y se queda.
join-put-back = { $path } está de vuelta. Si el servidor no lo tiene, la próxima actualización lo apartará otra vez.
join-taken-back = El último cambio está deshecho.
join-close = Pulsa Enter para cerrar esta ventana.

reply-why-sure = Por esto no pudiste entrar:
reply-why-likely = Lo más probable es que no pudieras entrar por esto:
reply-not-agreed = Aún no está acordado cuál de los dos es el correcto. No cambies nada: yo decido y luego te lo digo.
reply-differ = Donde tu juego y el servidor solo difieren, yo decido cuál es el correcto y luego te lo digo.
reply-server-only = No pudiste entrar, y no es culpa tuya. Hay que arreglar el servidor:
reply-server-too = Esto es culpa del servidor, y lo arreglo yo:
reply-wait = Para eso no tienes que cambiar nada. Inténtalo de nuevo cuando te avise.
reply-what-to-do = Qué hacer:
reply-close = Cierra el juego.
reply-run = Abre una terminal en la carpeta del juego y ejecuta: { $command }
reply-start = Inicia el juego y vuelve a entrar.
reply-got-in = El registro del servidor dice que la última vez entraste. ¿Fue otro el intento que falló? Entonces inténtalo otra vez y dime cuándo.
reply-unknown = Todavía no puedo decir por qué no pudiste entrar.
reply-may-be = Puede ser una de estas cosas, y no estoy seguro:
reply-puts-right = Cierra el juego, abre una terminal en su carpeta y ejecuta: { $command }
reply-still = Eso deja bien todos los mods. Si aun así no puedes entrar:
reply-send = Por favor, envíame:
reply-send-log = el registro del juego del momento de tu intento
reply-send-list = una lista de los mods que tienes, con sus versiones (basta una imagen de la carpeta de mods)
reply-send-words = lo que dijo el juego, palabra por palabra, y cuándo lo intentaste
reply-send-file = Si tienes el programa kanon, el archivo mine.json es lo que más dice. Ejecuta esto en la carpeta del juego, con el libro de reglas que te envío:
reply-some-missing = { $side ->
    [client] falta uno de los mods en tu juego; nada dice cuál
    [server] al servidor le falta un mod; nada dice cuál
   *[none] a uno de los dos le falta un mod; nada dice cuál
}
reply-some-extra = { $side ->
    [client] tu juego tiene un mod de más; nada dice cuál
    [server] el servidor tiene un mod de más; nada dice cuál
   *[none] un lado tiene un mod de más; nada dice cuál
}
reply-some-other = { $side ->
    [client] uno de tus mods no es como debe ser: otra versión o archivos modificados; nada dice cuál
    [server] uno de los mods del servidor no es como debe ser: otra versión o archivos modificados; nada dice cuál
   *[none] uno de los mods no es igual en los dos lados: otra versión o archivos modificados; nada dice cuál
}
reply-missing = { $side ->
    [client] te falta { $mod }
    [server] al servidor le falta { $mod }
   *[none] a uno de los dos le falta { $mod }
}
reply-extra = { $side ->
    [client] tienes { $mod }, y el servidor no
    [server] el servidor tiene { $mod }, y el otro lado no
   *[none] un lado tiene { $mod }, y el otro no
}
reply-off = { $side ->
    [client] tienes { $mod } desactivado
    [server] el servidor tiene { $mod } desactivado
   *[none] uno de los dos tiene { $mod } desactivado
}
reply-twice = { $side ->
    [client] tienes { $mod } más de una vez
    [server] el servidor tiene { $mod } más de una vez
   *[none] uno de los dos tiene { $mod } más de una vez
}
reply-older = { $side ->
    [client] tu { $mod } es demasiado antiguo
    [server] el { $mod } del servidor es demasiado antiguo
   *[none] el { $mod } de uno de los dos es demasiado antiguo
}
reply-newer = { $side ->
    [client] tu { $mod } es demasiado nuevo
    [server] el { $mod } del servidor es demasiado nuevo
   *[none] el { $mod } de uno de los dos es demasiado nuevo
}
reply-other = { $side ->
    [client] tu { $mod } tiene otra versión
    [server] el { $mod } del servidor tiene otra versión
   *[none] el { $mod } de uno de los dos tiene otra versión
}
reply-content = { $side ->
    [client] tu { $mod } fue modificado: sus archivos no son los que deben ser
    [server] el { $mod } del servidor fue modificado: sus archivos no son los que deben ser
   *[none] el { $mod } de uno de los dos fue modificado: sus archivos no son los que deben ser
}
reply-damaged = { $side ->
    [client] tu { $mod } está dañado
    [server] el { $mod } del servidor está dañado
   *[none] el { $mod } de uno de los dos está dañado
}
reply-game = { $side ->
    [client] tu juego tiene otra versión
    [server] el juego del servidor tiene otra versión
   *[none] el juego de uno de los dos tiene otra versión
}
reply-loader = { $side ->
    [client] lo que carga tus mods tiene otra versión
    [server] lo que carga los mods del servidor tiene otra versión
   *[none] lo que carga los mods de uno de los dos tiene otra versión
}
reply-runtime = { $side ->
    [client] aquello sobre lo que corre tu juego tiene otra versión
    [server] aquello sobre lo que corre el juego del servidor tiene otra versión
   *[none] aquello sobre lo que corre el juego de uno de los dos tiene otra versión
}
reply-memory = { $side ->
    [client] tu juego tiene poca memoria
    [server] el juego del servidor tiene poca memoria
   *[none] el juego de uno de los dos tiene poca memoria
}
reply-is-should = { $what }: es { $is } y debe ser { $should }
reply-should = { $what }: debe ser { $should }
reply-is = { $what }: es { $is }
reply-in-game = { $what }, en tu juego
step-list = Compara tus mods con la lista que te envío: falta uno.
step-list-versions = Compara tus mods y sus versiones con la lista que te envío: uno es distinto.
step-install = Instala { $mod }.
step-install-at = Instala { $mod }: va en { $place }.
step-install-into = Instala { $mod } en la carpeta { $place }.
step-take-out = Quita { $mod } de tu juego{ $where }.
step-switch-on = Vuelve a activar { $mod }{ $where }.
step-replace = Sustituye tu { $mod } por la versión { $should }{ $where }.
step-get-again = Consigue { $mod } otra vez y ponlo en lugar del tuyo{ $where }.
step-game = Lleva el juego a la versión { $should }.
step-install-version = Instala { $should }.
step-the-file = { "" } (el archivo { $place })
step-in-folder = { "" } (en la carpeta { $place })
kept-ban = No pudiste entrar porque estás expulsado del servidor. No tiene nada que ver con tus mods. Pregunta a quien lleva el servidor.
kept-list = No pudiste entrar porque no estás en la lista de quienes pueden. No tiene nada que ver con tus mods: tengo que añadirte.
kept-full = No pudiste entrar porque el servidor estaba lleno. Tus mods no tienen nada que ver. Inténtalo otra vez cuando alguien se haya ido.
kept-password = No pudiste entrar por la contraseña. Tus mods no tienen nada que ver. Escríbela otra vez o pídemela.
kept-account = No pudiste entrar por tu cuenta. Tus mods no tienen nada que ver. Cierra el juego, vuelve a iniciar sesión e inténtalo otra vez.
kept-connection = La conexión entre tu juego y el servidor se cortó. Mira la dirección y el puerto que escribiste e inténtalo otra vez; si otros entran, mira tu propia red.
page-title = { $name }: qué instalar
page-lead = { $game } con { $loader }
page-release = Entrega { $number }
page-mods = { $count ->
    [one] 1 mod
   *[other] { $count } mods
}, { $size }
page-how = Cómo entrar
page-program-lead = Deja que lo haga.
page-program = Descarga el programa para tu sistema y ábrelo con doble clic. Pregunta dónde está tu juego, dice qué hará y lo hace cuando dices que sí; todo se puede deshacer.
page-for = para { $system }
page-trust = Abre el mismo programa otra vez tras una actualización del servidor. No lo ha firmado el fabricante de tu sistema, que quizá pregunte si confías en él: vale tanto como este lugar.
page-linux = En Linux, permite antes que se ejecute:
page-kanon = Con Kanon.
page-kanon-or = O con Kanon, si lo tienes.
page-type = En la carpeta del juego, escribe esto:
page-copy = Copiar
page-copied = Copiado
page-later = Tras una actualización del servidor, solo: { $follow }. Si no te convence: { $undo }.
page-makers = Kanon se obtiene de { $open }sus autores{ $close }.
page-archive-lead = A mano, de una vez.
page-archive = Descarga { $open }todos los mods en un archivo{ $close } y descomprímelo en la carpeta del juego. Lo demás que hay que hacer está dentro, y abajo.
page-each-lead = A mano, uno por uno.
page-each = De la { $open }tabla{ $close }, como dice { $steps }la lista de abajo{ $close }.
page-code = La invitación como código QR
page-new = Novedades desde la entrega { $number }
page-nothing-new = Nada que te afecte.
news-new = { $mod } { $to } es nuevo
news-gone = { $mod } { $from } ya no está: quítalo
news-bytes = { $mod } { $to } tiene otro contenido con la misma versión
news-becomes = { $mod } { $from } pasa a { $to }
page-table = Mods, en su orden
page-find = Buscar un mod
page-found = { $seen } de { $all }
col-number = N.º
col-mod = Mod
col-version = Versión
col-file = Archivo o carpeta
col-where = Dónde va
col-size = Tamaño
page-optional = opcional
page-needs = necesita { $mods }
page-download = descargar
page-bytes = { $count } bytes
page-digest-one = suma
way-folder = carpeta
way-file = archivo
way-files = archivos juntos
way-overlay = capa
way-id = por id
where-id = lo descarga el juego
where-overlay = dentro de { $places }
where-and = { " y " }
page-server-alone = Solo el servidor tiene { $mods }; no hace falta que { $count ->
    [one] lo
   *[other] los
} busques.
page-line = Línea de arranque
page-line-into = En { $file }, o desde donde inicies el juego, exactamente así, orden incluido:
page-line-anywhere = Donde inicies el juego, exactamente así, orden incluido:
page-by-hand = A mano
hand-close = Cierra el juego y copia aparte sus carpetas de mods, por si quieres recuperarlas.
hand-take-out = De estas carpetas quita todo archivo y carpeta que no esté en la tabla de arriba. { $own }.
hand-own-stay = Tus propios mods pueden quedarse si solo afectan a tu juego; otras versiones de los mods de arriba, no
hand-own-go = Otros mods no son bienvenidos en este servidor
hand-file = Pon cada archivo en su lugar con el nombre exacto de la tabla, mayúsculas incluidas. No lo descomprimas.
hand-files = Si un mod son varios archivos, ponlos todos juntos en su lugar, con los nombres exactos que muestra su lista.
hand-folder = Pon cada carpeta en su lugar con el nombre exacto de la tabla, con los archivos que muestra su lista y ninguno más.
hand-overlay = Pon los contenidos de cada capa en su archivo, en el orden de la tabla.
hand-id = Los mods sin archivos los descarga el propio juego, por su id.
hand-copies = Copia estos archivos de mods a donde el juego los busca:
hand-copy = { $to }, de { $mod }
hand-entries = Pega estas entradas en los archivos de datos del juego, cada una una vez:
hand-entry = { $into }: { $keys } de { $from } de { $mod }, antes de { $before }
hand-list = En { $file } ({ $name }) deben estar activados estos mods:
hand-list-ordered = En { $file } ({ $name }) deben estar activados estos mods, en este orden:
hand-settings = Pon estos valores:
hand-setting = { $file }: { $name } debe ser { $value } (en { $at })
hand-start = Inicia el juego y entra.
hand-start-line = Inicia el juego con la línea de arranque de arriba y entra.
page-cant = ¿No puedes entrar?
page-cant-send = Envía a quien lleva el servidor lo que tienes. Esto lo anota; el archivo nombra mods y sus archivos, y nada más de tu equipo:
page-cant-run = Ejecútalo en la carpeta del juego. Si allí no se sigue nada, añade { $option }, con { $open }el libro de reglas{ $close } al lado.
page-cant-sent = Ejecútalo en la carpeta del juego. Si allí no se sigue nada, añade { $option }, con el libro de reglas que te enviaron al lado.
page-digest = El conjunto tiene la suma { $digest }.
page-foot = Esta página es para leer; lo que { $command } descarga se verifica por sus firmas.
notes-title = { $name }: todos los mods para { $game }
notes-unpack = Descomprime esto en la carpeta del juego y deja que reemplace lo que haya. Cierra antes el juego.
notes-before = Antes de eso, quita de { $folders } todo mod que no esté aquí: uno viejo junto a uno nuevo te deja fuera.
notes-left = No está aquí, y se consigue como dice la página: { $mods }.
notes-list = Activados en { $file }:
notes-list-ordered = Activados en { $file }, en este orden:
notes-start = Inicia el juego con:
